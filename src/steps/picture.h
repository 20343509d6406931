// SPDX-License-Identifier: GPL-3.0-or-later
// What a screen draws of a step, as all others see it: something to hold. What is in it stands in
// steps/picture_spec.h, which only those include that describe or draw it.
#pragma once

#include <memory>

namespace drevan {

struct AnyPicture;

class Picture {
 public:
  /// Levels before and after, which every step can show.
  Picture() = default;
  /// Of one of the kinds in picture_spec.h, where this is defined.
  template <class Spec>
  Picture(
      Spec spec);  // NOLINT(google-explicit-constructor): steps write `.picture = BandSpec{...}`

 private:
  friend struct AnyPicture;
  std::shared_ptr<const AnyPicture> any_;
};

}  // namespace drevan
