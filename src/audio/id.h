// SPDX-License-Identifier: GPL-3.0-or-later
// Names that last: what tells one thing of a kind from the others of its kind, for as long as it
// lives.
#pragma once

#include <compare>
#include <functional>
#include <iosfwd>
#include <type_traits>

// Clang 14 crashes on some calls of consteval constructors; what it compiles, GCC has compiled too.
#if defined(__clang__) && __clang_major__ < 15
#define DREVAN_CONSTEVAL constexpr
#else
#define DREVAN_CONSTEVAL consteval
#endif

namespace drevan {

/// An id of one kind of thing: never an index, never taken for a number or for an id of another
/// kind. Made from a number only where one is read (numbered()), or written out in the code
/// (`ClipId{3}`, or plain 0 for none).
template <class Of>
class Id {
 public:
  constexpr Id() = default;  ///< of nothing
  /// What is written in the code is meant so.
  DREVAN_CONSTEVAL Id(int written) : number_(written) {}
  /// What was read from a file, counted up, or came back from the interface.
  static constexpr Id numbered(int number) {
    Id id;
    id.number_ = number;
    return id;
  }
  /// As it stands in files.
  constexpr int number() const { return number_; }
  /// Whether it is of something.
  constexpr explicit operator bool() const { return number_ != 0; }
  friend constexpr bool operator==(Id, Id) = default;
  friend constexpr auto operator<=>(Id, Id) = default;
  /// `id < 0` would ask what an index is asked.
  template <class Number>
  requires std::is_arithmetic_v<Number>
  friend auto operator<=>(Id, Number) = delete;
  template <class Json>
  friend void to_json(Json& json, Id id) {
    json = id.number_;
  }
  template <class Char, class Traits>
  friend auto& operator<<(std::basic_ostream<Char, Traits>& out, Id id) {
    return out << id.number_;
  }

 private:
  int number_ = 0;
};

}  // namespace drevan

template <class Of>
struct std::hash<drevan::Id<Of>> {
  size_t operator()(drevan::Id<Of> id) const { return std::hash<int>()(id.number()); }
};
