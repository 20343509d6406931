// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/ears.h"

#include <fmt/format.h>
#include <mysofa.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <mutex>
#include <numbers>
#include <tuple>

#include "audio/error.h"
#include "dsp/convolver.h"
#include "dsp/sofa_shape.h"

namespace drevan {

namespace {

constexpr double pi = std::numbers::pi;
constexpr const char* standard_set = "/usr/share/libmysofa/default.sofa";

struct Close {
  void operator()(MYSOFA_EASY* e) const { mysofa_close(e); }
};
struct Free {
  void operator()(MYSOFA_HRTF* h) const { mysofa_free(h); }
};
struct Fault {
  std::string what;
};

// What a file must be before it is opened for a rate: with one direction or one ear the library
// would find no neighbours.
void check(const std::string& file) {
  int error = MYSOFA_OK;
  const std::unique_ptr<MYSOFA_HRTF, Free> hrtf(mysofa_load(file.c_str(), &error));
  if (!hrtf || error != MYSOFA_OK) throw Fault{"is no SOFA file that can be read"};
  if (mysofa_check(hrtf.get()) != MYSOFA_OK)
    throw Fault{"holds no head-related responses of the usual kind"};
  if (hrtf->R != 2) throw Fault{fmt::format("has {} ears instead of two", hrtf->R)};
  if (hrtf->M < 8) throw Fault{fmt::format("has only {} directions; eight are needed", hrtf->M)};
  if (hrtf->N < 16 || hrtf->N > 65536)
    throw Fault{fmt::format("has responses of {} samples", hrtf->N)};
  if (!hrtf->DataIR.values || !holds_responses(hrtf->DataIR.elements, hrtf->M, hrtf->R, hrtf->N) ||
      !holds_responses(hrtf->SourcePosition.elements, hrtf->M, hrtf->C, 1))
    throw Fault{"holds fewer responses than it says"};
  for (unsigned i = 0; i < hrtf->DataIR.elements; ++i)
    if (!std::isfinite(hrtf->DataIR.values[i])) throw Fault{"holds values that are no numbers"};
}

// Where it first reaches a tenth of its peak, between the samples.
double onset(std::span<const float> x) {
  float peak = 0;
  for (const float v : x) peak = std::max(peak, std::abs(v));
  for (size_t i = 0; i < x.size(); ++i) {
    const float now = std::abs(x[i]), before = i > 0 ? std::abs(x[i - 1]) : 0.0F;
    if (now < 0.1F * peak) continue;
    return static_cast<double>(i) -
           static_cast<double>((now - 0.1F * peak) / (now - before + 1e-20F));
  }
  return 0;
}

}  // namespace

int ear_points(double rate) {
  int size = 64;
  while (size < 0.0052 * rate) size *= 2;
  return size;
}

Ears::Ears(const std::filesystem::path& file, double rate) : size_(ear_points(rate)) {
  const std::string name = file.empty() ? standard_set : file.string();
  check(name);
  int length = 0, error = MYSOFA_OK;
  const std::unique_ptr<MYSOFA_EASY, Close> easy(
      mysofa_open(name.c_str(), static_cast<float>(rate), &length, &error));
  if (!easy || error != MYSOFA_OK || length <= 0) throw Fault{"cannot be brought to this rate"};
  const auto n = static_cast<size_t>(length);
  const RealFft fft(size_);
  MinimumPhase design(size_);
  std::array<std::vector<float>, 2> heard{std::vector<float>(n), std::vector<float>(n)};
  FloatVector time(static_cast<size_t>(size_));
  ComplexVector spectrum(bins());
  std::vector<float> gains(bins()), response(static_cast<size_t>(size_));
  const auto flat_below = static_cast<size_t>(std::ceil(200 * size_ / rate));
  double power = 0;
  grid_.resize(static_cast<size_t>(azimuths * elevations));
  for (int e = 0; e < elevations; ++e)
    for (int a = 0; a < azimuths; ++a) {
      const double az = a * 5 * pi / 180, el = (e * 10 - 90) * pi / 180;
      std::array<float, 2> delay{};
      // SOFA's axes: x ahead, y to the left.
      mysofa_getfilter_float(easy.get(), static_cast<float>(std::cos(az) * std::cos(el)),
                             static_cast<float>(-std::sin(az) * std::cos(el)),
                             static_cast<float>(std::sin(el)), heard[0].data(), heard[1].data(),
                             &delay[0], &delay[1]);
      Entry& out = grid_[static_cast<size_t>(e * azimuths + a)];
      for (size_t ear = 0; ear < 2; ++ear) {
        std::ranges::fill(time, 0.0F);
        // From its onset on, so that it fits.
        const double at = onset(heard[ear]);
        const auto from = static_cast<size_t>(std::max(0.0, at - 8));
        for (size_t i = from; i < n && i - from < time.size(); ++i) time[i - from] = heard[ear][i];
        fft.forward(time, spectrum);
        for (size_t b = 0; b < bins(); ++b)
          gains[b] = 20 * std::log10(std::max(std::abs(spectrum[b]), 1e-4F));
        // Measuring loudspeakers have no bass: what a head does there is nothing.
        for (size_t b = 0; b < std::min(flat_below, bins() - 1); ++b) gains[b] = gains[flat_below];
        design.design(gains, response);
        std::ranges::copy(response, time.begin());
        out.late[ear] =
            static_cast<float>(static_cast<double>(delay[ear]) * rate + at - onset(response));
        fft.forward(time, spectrum);
        out.spectra[ear].assign(spectrum.begin(), spectrum.end());
        if (e == 9 && a == 0)
          for (size_t b = 0; b < bins(); ++b)
            if (const double hz = static_cast<double>(b) * rate / size_; hz > 300 && hz < 1500)
              power += static_cast<double>(std::norm(spectrum[b])) / 2;
      }
    }
  // As loud from ahead as without a head, and no later.
  double count = 0;
  for (size_t b = 0; b < bins(); ++b)
    if (const double hz = static_cast<double>(b) * rate / size_; hz > 300 && hz < 1500) ++count;
  const auto gain = static_cast<float>(count > 0 && power > 0 ? std::sqrt(count / power) : 1.0);
  const Entry& ahead = entry(0, 9);
  const float middle = (ahead.late[0] + ahead.late[1]) / 2;
  for (auto& g : grid_)
    for (size_t ear = 0; ear < 2; ++ear) {
      for (auto& v : g.spectra[ear]) v *= gain;
      g.late[ear] -= middle;
    }
  std::vector<double> sums(bins());
  double all = 0;
  for (int e = 0; e < elevations; ++e) {
    const double weight = std::cos((e * 10 - 90) * pi / 180);
    for (int a = 0; a < azimuths; ++a, all += 2 * weight)
      for (const auto& s : entry(a, e).spectra)
        for (size_t b = 0; b < bins(); ++b)
          sums[b] += weight * static_cast<double>(std::norm(s[b]));
  }
  for (const double s : sums) diffuse_.push_back(static_cast<float>(std::sqrt(s / all)));
}

void Ears::hear(const Place& from, std::array<std::span<std::complex<float>>, 2> spectra,
                std::array<double, 2>& late) const noexcept {
  const double r = std::max(from.length(), 1e-9);
  const double el = std::asin(std::clamp(from.z / r, -1.0, 1.0)) * 18 / pi + 9;  // in rows
  double az = std::atan2(from.x, from.y) * 36 / pi;                              // in columns
  if (az < 0) az += azimuths;
  const int e0 = std::clamp(static_cast<int>(el), 0, elevations - 2);
  const int a0 = static_cast<int>(az) % azimuths, a1 = (a0 + 1) % azimuths;
  const double e = std::clamp(el - e0, 0.0, 1.0), a = az - std::floor(az);
  const std::array<const Entry*, 4> near{&entry(a0, e0), &entry(a1, e0), &entry(a0, e0 + 1),
                                         &entry(a1, e0 + 1)};
  const std::array<double, 4> w{(1 - a) * (1 - e), a * (1 - e), (1 - a) * e, a * e};
  for (size_t ear = 0; ear < 2; ++ear) {
    late[ear] = 0;
    for (size_t k = 0; k < 4; ++k) late[ear] += w[k] * static_cast<double>(near[k]->late[ear]);
    const auto f0 = static_cast<float>(w[0]), f1 = static_cast<float>(w[1]),
               f2 = static_cast<float>(w[2]), f3 = static_cast<float>(w[3]);
    const auto *s0 = near[0]->spectra[ear].data(), *s1 = near[1]->spectra[ear].data(),
               *s2 = near[2]->spectra[ear].data(), *s3 = near[3]->spectra[ear].data();
    for (size_t b = 0; b < bins(); ++b)
      spectra[ear][b] = f0 * s0[b] + f1 * s1[b] + f2 * s2[b] + f3 * s3[b];
  }
}

std::shared_ptr<const Ears> Ears::load(const std::filesystem::path& file, double rate) {
  using Key = std::tuple<std::filesystem::path, std::filesystem::file_time_type, double>;
  static std::mutex mutex;
  static std::map<Key, std::shared_ptr<const Ears>> all;
  std::error_code error;
  const auto time = std::filesystem::last_write_time(file.empty() ? standard_set : file, error);
  const std::lock_guard lock(mutex);
  auto& ears = all[{file, time, rate}];
  try {
    if (!ears) ears = std::shared_ptr<const Ears>(new Ears(file, rate));
  } catch (const Fault& fault) {
    all.erase({file, time, rate});
    throw Error(Error::Kind::input,
                fmt::format("{} {}. Choose another set of ears.",
                            file.empty() ? standard_set : file.string(), fault.what));
  }
  auto out = ears;
  if (all.size() > 12) std::erase_if(all, [&](const auto& e) { return e.second != out; });
  return out;
}

std::string Ears::fault(std::string_view file) try {
  check(std::string(file));
  return {};
} catch (const Fault& fault) {
  return fault.what;
}

}  // namespace drevan
