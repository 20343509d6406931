// SPDX-License-Identifier: GPL-3.0-or-later
// Real Fourier transforms by FFTW, single precision. Plans are made once per size for the whole
// program and shared; making one takes a lock, using one does not.
#pragma once

#include <complex>
#include <memory>
#include <span>
#include <vector>

namespace drevan {

/// Memory aligned as FFTW wants it for its fastest code.
template <class T>
struct AlignedAllocator {
  using value_type = T;
  AlignedAllocator() = default;
  template <class U>
  AlignedAllocator(const AlignedAllocator<U>&) noexcept {}  // NOLINT: converting by design
  T* allocate(std::size_t n) {
    return static_cast<T*>(::operator new (n * sizeof(T), std::align_val_t{64}));
  }
  void deallocate(T* p, std::size_t) noexcept { ::operator delete (p, std::align_val_t{64}); }
  friend bool operator==(const AlignedAllocator&, const AlignedAllocator&) { return true; }
};

using FloatVector = std::vector<float, AlignedAllocator<float>>;
using ComplexVector = std::vector<std::complex<float>, AlignedAllocator<std::complex<float>>>;

/// A real transform of one even size. Copies share the plans. forward() and inverse() are
/// real-time safe and may run in several threads at once, each with its own buffers.
class RealFft {
 public:
  /// Takes a lock and allocates; not for the real-time thread. `size` even, 16 to 1 << 20.
  explicit RealFft(int size);

  int size() const { return size_; }
  int bins() const { return size_ / 2 + 1; }

  /// `time` has size() samples, `bins_out` bins() values. Buffers must come from FloatVector and
  /// ComplexVector (64-byte aligned). No scaling. Keeps `time`.
  void forward(std::span<float> time, std::span<std::complex<float>> bins_out) const noexcept;

  /// Inverse of forward() times size(). Destroys `bins_in`.
  void inverse(std::span<std::complex<float>> bins_in, std::span<float> time) const noexcept;

 private:
  struct Plans;
  int size_;
  std::shared_ptr<const Plans> plans_;
};

/// Periodic Hann window of `size` samples: sums flat at 50 and 75 % overlap.
FloatVector hann_window(int size);

}  // namespace drevan
