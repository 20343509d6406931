// SPDX-License-Identifier: GPL-3.0-or-later
#include "support/sounds.h"

#include <sys/wait.h>
#include <unistd.h>

#include <array>
#include <atomic>
#include <algorithm>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <fstream>
#include <functional>
#include <iterator>
#include <numbers>
#include <random>

#include "dsp/biquad.h"
#include "media/reader.h"

namespace drevan::test {

namespace fs = std::filesystem;

TempFolder::TempFolder() {
  static std::atomic<int> count{0};
  path_ = fs::temp_directory_path() /
          ("drevan-test-" + std::to_string(::getpid()) + "-" + std::to_string(++count));
  fs::create_directories(path_);
}

TempFolder::~TempFolder() {
  std::error_code ignored;
  fs::permissions(path_, fs::perms::owner_all, ignored);
  fs::remove_all(path_, ignored);
}

AudioBuffer silence(double seconds, double rate, int channels) {
  return {channels, std::llround(seconds * rate)};
}

AudioBuffer sine(double hz, double amplitude, double seconds, double rate, int channels) {
  AudioBuffer out = silence(seconds, rate, channels);
  for (int c = 0; c < channels; ++c)
    for (Samples i = 0; i < out.frames(); ++i)
      out.channel(c)[static_cast<size_t>(i)] = static_cast<float>(
          amplitude * std::sin(2 * std::numbers::pi * hz * static_cast<double>(i) / rate));
  return out;
}

AudioBuffer noise(double sigma, double seconds, unsigned seed, double rate, int channels) {
  AudioBuffer out = silence(seconds, rate, channels);
  std::mt19937 random(seed);
  std::normal_distribution<float> normal(0, static_cast<float>(sigma));
  for (int c = 0; c < channels; ++c)
    for (float& x : out.channel(c)) x = normal(random);
  return out;
}

void add(AudioBuffer& a, const AudioBuffer& b, double at_s, double rate) {
  const auto at = static_cast<size_t>(std::llround(at_s * rate));
  for (int c = 0; c < a.channels(); ++c)
    for (size_t i = 0; i < b.channel(c).size() && at + i < a.channel(c).size(); ++i)
      a.channel(c)[at + i] += b.channel(c)[i];
}

AudioBuffer join(std::span<const AudioBuffer> parts) {
  Samples total = 0;
  for (const auto& p : parts) total += p.frames();
  AudioBuffer out(parts[0].channels(), total);
  Samples at = 0;
  for (const auto& p : parts) {
    for (int c = 0; c < out.channels(); ++c)
      std::ranges::copy(p.channel(c), out.channel(c).begin() + at);
    at += p.frames();
  }
  return out;
}

AudioBuffer words(double amplitude, double seconds, double rate) {
  AudioBuffer out = silence(seconds, rate);
  auto x = out.channel(0);
  for (size_t i = 0; i < x.size(); ++i) {
    const double t = static_cast<double>(i) / rate;
    const double in_word = std::fmod(t, 0.55);
    if (in_word > 0.3) continue;
    double s = 0;
    for (int h = 2; h <= 9; ++h)
      s += std::sin(2 * std::numbers::pi * 140 * h * t) / (1 + std::abs(h - 5));
    x[i] = static_cast<float>(amplitude / 3 * s * std::sin(std::numbers::pi * in_word / 0.3));
  }
  return out;
}

double rms(std::span<const float> x) {
  double sum = 0;
  for (const float v : x) sum += static_cast<double>(v) * static_cast<double>(v);
  return std::sqrt(sum / static_cast<double>(std::max<size_t>(x.size(), 1)));
}

double rms_db(std::span<const float> x) { return 20 * std::log10(std::max(rms(x), 1e-12)); }

void write_wav(const fs::path& file, AudioBuffer& sound, double rate, SampleType type,
               const SourceMarks& marks) {
  AudioWriter writer(file, {Container::wav, type, rate, sound.channels()}, sound.frames(), marks);
  writer.write(sound.block());
  writer.commit();
}

AudioBuffer read_all(const fs::path& file) {
  const auto reader = open_audio(file);
  AudioBuffer out(reader->info().channels, reader->info().frames);
  Samples done = 0;
  for (int n = 0; done < out.frames() &&
                  (n = reader->read(out.block(
                       done, static_cast<int>(std::min<Samples>(8192, out.frames() - done))))) > 0;)
    done += n;
  return out;
}

std::vector<char> bytes(const fs::path& file) {
  std::ifstream in(file, std::ios::binary);
  return {std::istreambuf_iterator<char>(in), {}};
}

std::vector<std::string> names_in(const std::filesystem::path& folder) {
  std::vector<std::string> out;
  for (const auto& entry : std::filesystem::directory_iterator(folder))
    if (const auto name = entry.path().filename().string(); !name.starts_with("."))
      out.push_back(name);
  std::ranges::sort(out);
  return out;
}

std::vector<std::string> left_over(const std::filesystem::path& folder) {
  std::vector<std::string> out;
  for (const auto& entry : std::filesystem::recursive_directory_iterator(folder))
    if (const auto name = entry.path().filename().string();
        name.starts_with(".") && !name.starts_with(".drevan-batch"))
      out.push_back(name);
  return out;
}

AudioBuffer speech(const std::string& prompt) {
  const fs::path folder = "/usr/share/asterisk/sounds/en_US_f_Allison";
  const TempFolder temp;
  // Raw G.722 has no header, so the demuxer must be named; ffmpeg's command line does it.
  const Ran ran = run("ffmpeg -v error -f g722 -i '" + (folder / (prompt + ".g722")).string() +
                      "' -ar 48000 -c:a pcm_f32le '" + (temp / "speech.wav").string() + "'");
  if (ran.code != 0) throw std::runtime_error("no speech: " + ran.out);
  return read_all(temp / "speech.wav");
}

namespace {

// The longest prompts of a voice, one behind the other, as a WAV file: made once for all tests that
// share XDG_CACHE_HOME, because two dozen decoders take seconds to start.
fs::path decoded_voice(const std::string& voice) {
  const char* cache = std::getenv("XDG_CACHE_HOME");
  static const TempFolder own;
  const fs::path made = (cache ? fs::path(cache) / "test-voices" : own.path()) / (voice + ".wav");
  if (fs::exists(made)) return made;
  fs::create_directories(made.parent_path());
  std::vector<std::pair<std::uintmax_t, fs::path>> prompts;
  for (const auto& entry : fs::directory_iterator(fs::path("/usr/share/asterisk/sounds") / voice))
    if (const auto kind = entry.path().extension();
        kind == ".g722" || kind == ".wav" || kind == ".gsm")
      prompts.emplace_back(entry.file_size(), entry.path());
  std::ranges::sort(prompts, std::greater{});
  prompts.resize(std::min<size_t>(prompts.size(), 25));
  std::string decode;
  for (const auto& [size, file] : prompts)
    decode += "ffmpeg -v error " + std::string(file.extension() == ".g722" ? "-f g722 " : "") +
              "-i '" + file.string() + "' -ar 48000 -ac 1 -f f32le - ; ";
  // Another process may make it at the same time: each writes its own and renames it.
  const std::string mine = made.string() + std::to_string(::getpid());
  const Ran ran = run("( " + decode + ") > '" + mine +
                      ".raw' && ffmpeg -v error -f f32le -ar 48000 -ac 1 -i '" + mine +
                      ".raw' -c:a pcm_f32le '" + mine + ".wav'");
  if (ran.code != 0) throw std::runtime_error("no speech: " + ran.out);
  fs::remove(mine + ".raw");
  fs::rename(mine + ".wav", made);
  return made;
}

}  // namespace

AudioBuffer continuous_speech(const std::string& voice, double seconds) {
  const AudioBuffer all = read_all(decoded_voice(voice));
  AudioBuffer out(1, std::llround(seconds * 48000));
  const double loud = rms(all.channel(0));
  Samples filled = 0;
  int quiet = 0;
  constexpr Samples frame = 960;
  for (Samples at = 0; at + frame <= all.frames() && filled < out.frames(); at += frame) {
    const auto part = all.channel(0).subspan(static_cast<size_t>(at), frame);
    quiet = rms(part) < 0.05 * loud ? quiet + 1 : 0;
    if (quiet > 10) continue;
    const auto n = std::min(frame, out.frames() - filled);
    std::copy_n(part.begin(), n, out.channel(0).begin() + filled);
    filled += n;
  }
  if (filled < out.frames()) throw std::runtime_error(voice + " has too little to say");
  return out;
}

Ran run(const std::string& command) {
  Ran out;
  std::FILE* pipe = ::popen((command + " 2>&1").c_str(), "r");
  if (!pipe) return out;
  std::array<char, 4096> buffer{};
  while (const size_t n = std::fread(buffer.data(), 1, buffer.size(), pipe))
    out.out.append(buffer.data(), n);
  const int status = ::pclose(pipe);
  out.code = WIFEXITED(status) ? WEXITSTATUS(status) : -1;
  return out;
}

std::string quoted(const std::filesystem::path& file) {
  std::string out = "'";
  for (const char c : file.string()) out += c == '\'' ? std::string("'\\''") : std::string(1, c);
  return out + "'";
}

}  // namespace drevan::test
