// SPDX-License-Identifier: GPL-3.0-or-later
// Sounds and places for tests.
#pragma once

#include <filesystem>
#include <functional>
#include <span>
#include <string>
#include <vector>

#include "audio/buffer.h"
#include "media/writer.h"

namespace drevan::test {

/// A folder of its own under the temporary folder, removed at the end.
class TempFolder {
 public:
  TempFolder();
  ~TempFolder();
  TempFolder(const TempFolder&) = delete;
  TempFolder& operator=(const TempFolder&) = delete;
  const std::filesystem::path& path() const { return path_; }
  std::filesystem::path operator/(const std::string& name) const { return path_ / name; }

 private:
  std::filesystem::path path_;
};

/// Channels x frames; channel 1 and up get the same.
AudioBuffer sine(double hz, double amplitude, double seconds, double rate = 48000,
                 int channels = 1);
/// White noise with a standard deviation of `sigma`, another one per channel.
AudioBuffer noise(double sigma, double seconds, unsigned seed, double rate = 48000,
                  int channels = 1);
AudioBuffer silence(double seconds, double rate = 48000, int channels = 1);
/// Adds `b` to `a` from `at_s` on.
void add(AudioBuffer& a, const AudioBuffer& b, double at_s, double rate = 48000);
/// One after the other.
AudioBuffer join(std::span<const AudioBuffer> parts);

/// Bursts that are like words: a 140 Hz buzz with formants, 0.3 s on, 0.25 s off.
AudioBuffer words(double amplitude, double seconds, double rate = 48000);

double rms(std::span<const float> x);
double rms_db(std::span<const float> x);

void write_wav(const std::filesystem::path& file, AudioBuffer& sound, double rate = 48000,
               SampleType type = SampleType::float32, const SourceMarks& marks = {});
/// All of a file at its own rate.
AudioBuffer read_all(const std::filesystem::path& file);
std::vector<char> bytes(const std::filesystem::path& file);

/// Names of the files in a folder that are not hidden, sorted.
std::vector<std::string> names_in(const std::filesystem::path& folder);
/// Names of all hidden files below a folder but for batch records: what was left half-done.
std::vector<std::string> left_over(const std::filesystem::path& folder);

/// A real spoken prompt (Debian's asterisk-core-sounds-en-g722), decoded to 48 kHz mono.
AudioBuffer speech(const std::string& prompt);

/// Real voices of Debian's speech packages; English and Spanish are one woman.
inline constexpr const char* voices[] = {"en_US_f_Allison", "fr_CA_f_June", "it_IT_m_Carlo",
                                         "ru_RU_f_IvrvoiceRU"};
/// So many seconds of one of them at 48 kHz mono, from its longest prompts, without the pauses between and in
/// them that are longer than a fifth of a second.
AudioBuffer continuous_speech(const std::string& voice, double seconds);

/// Runs a shell command; gives exit code and what it printed on both outputs.
struct Ran {
  int code = -1;
  std::string out;
};
Ran run(const std::string& command);
/// As one word of such a command.
std::string quoted(const std::filesystem::path& file);

}  // namespace drevan::test
