// SPDX-License-Identifier: GPL-3.0-or-later
// Values that are shared until they are changed: what a reel is made of. Copying one copies a
// pointer; changing it copies what is shared with others first, so that nobody else sees the
// change.
#pragma once

#include <algorithm>
#include <atomic>
#include <compare>
#include <cstddef>
#include <functional>
#include <initializer_list>
#include <iterator>
#include <optional>
#include <type_traits>
#include <utility>
#include <vector>

namespace drevan {

/// One value, shared by its copies. Copies may be read, copied and dropped by different threads at
/// a time; one copy is for one thread at a time, as a value is.
template <class T>
class Shared {
 public:
  explicit Shared(T value) : cell_(new Cell{1, std::move(value)}) {}
  Shared(const Shared& other) : cell_(other.cell_) {
    if (cell_) cell_->owners.fetch_add(1, std::memory_order_relaxed);
  }
  Shared(Shared&& other) noexcept : cell_(std::exchange(other.cell_, nullptr)) {}
  Shared& operator=(Shared other) noexcept {
    std::swap(cell_, other.cell_);
    return *this;
  }
  ~Shared() {
    if (cell_ && cell_->owners.fetch_sub(1, std::memory_order_acq_rel) == 1) delete cell_;
  }

  const T& operator*() const { return cell_->value; }
  const T* operator->() const { return &cell_->value; }
  /// To be changed. A reference from here stays its own until this is copied: whoever holds one
  /// over a copy changes both.
  T& edit() {
    if (cell_->owners.load(std::memory_order_acquire) != 1) *this = Shared(cell_->value);
    return cell_->value;
  }
  /// Whether both are one value in memory: equal without a look.
  bool same(const Shared& other) const { return cell_ == other.cell_; }
  friend bool operator==(const Shared& a, const Shared& b) {
    return a.cell_ == b.cell_ || a.cell_->value == b.cell_->value;
  }

 private:
  // Counted here and not by std::shared_ptr, whose use_count() orders nothing: what another thread
  // read before it dropped its copy must have been read before edit() changes it in place.
  struct Cell {
    std::atomic<long> owners;
    T value;
  };
  Cell* cell_;
};

/// A vector whose elements are shared one by one, as is the list of them: a copy of a list of 5 000
/// is one pointer, and a change of one element copies that one and 5 000 pointers. Read as a vector
/// is. Nothing is changed by iterating: each() does that.
template <class T>
class SharedList {
  using Items = std::vector<Shared<T>>;

  template <bool changing>
  class Iterator {
    using Inner =
        std::conditional_t<changing, typename Items::iterator, typename Items::const_iterator>;

   public:
    using iterator_concept = std::random_access_iterator_tag;
    using iterator_category = std::random_access_iterator_tag;
    using value_type = T;
    using difference_type = std::ptrdiff_t;
    using reference = std::conditional_t<changing, T&, const T&>;
    using pointer = std::conditional_t<changing, T*, const T*>;

    Iterator() = default;
    explicit Iterator(Inner at) : at_(at) {}
    reference operator*() const {
      if constexpr (changing)
        return at_->edit();
      else
        return **at_;
    }
    pointer operator->() const { return &**this; }
    reference operator[](difference_type n) const { return *(*this + n); }
    Iterator& operator++() { return *this += 1; }
    Iterator operator++(int) { return std::exchange(*this, *this + 1); }
    Iterator& operator--() { return *this -= 1; }
    Iterator operator--(int) { return std::exchange(*this, *this - 1); }
    Iterator& operator+=(difference_type n) {
      at_ += n;
      return *this;
    }
    Iterator& operator-=(difference_type n) { return *this += -n; }
    friend Iterator operator+(Iterator a, difference_type n) { return a += n; }
    friend Iterator operator+(difference_type n, Iterator a) { return a += n; }
    friend Iterator operator-(Iterator a, difference_type n) { return a -= n; }
    friend difference_type operator-(const Iterator& a, const Iterator& b) { return a.at_ - b.at_; }
    friend bool operator==(const Iterator& a, const Iterator& b) { return a.at_ == b.at_; }
    friend std::strong_ordering operator<=>(const Iterator& a, const Iterator& b) {
      return (a.at_ - b.at_) <=> 0;
    }

   private:
    Inner at_{};
  };

 public:
  using value_type = T;
  using const_iterator = Iterator<false>;
  using iterator = const_iterator;

  SharedList() = default;
  SharedList(std::initializer_list<T> values) {
    for (const T& value : values) push_back(value);
  }
  SharedList(const std::vector<T>& values) {
    for (const T& value : values) push_back(value);
  }

  size_t size() const { return items().size(); }
  bool empty() const { return items().empty(); }
  const_iterator begin() const { return const_iterator(items().begin()); }
  const_iterator end() const { return const_iterator(items().end()); }
  const T& operator[](size_t i) const { return *items()[i]; }
  const T& at(size_t i) const { return *items().at(i); }
  const T& front() const { return *items().front(); }
  const T& back() const { return *items().back(); }

  // --- changing; references and iterators from before may be of what is shared ---

  /// To be changed: see Shared::edit().
  T& operator[](size_t i) { return own()[i].edit(); }
  T& at(size_t i) { return own().at(i).edit(); }
  T& front() { return own().front().edit(); }
  T& back() { return own().back().edit(); }
  /// All elements, to be changed; each is copied when it is looked at.
  auto each() {
    struct Range {
      Iterator<true> first, last;
      Iterator<true> begin() const { return first; }
      Iterator<true> end() const { return last; }
    };
    if (empty()) return Range{};
    Items& items = own();
    return Range{Iterator<true>(items.begin()), Iterator<true>(items.end())};
  }
  /// Changes those of which `of` is true; the others stay shared.
  template <class Predicate, class Change>
  void change_where(Predicate of, Change change) {
    for (size_t i = 0; i < size(); ++i)
      if (of(*items()[i])) change(own()[i].edit());
  }
  void push_back(T value) { own().emplace_back(std::move(value)); }
  /// The place of the first that is inserted.
  const_iterator insert(const_iterator at, T value) {
    const auto place = at - begin();
    Items& items = own();
    return const_iterator(items.emplace(items.begin() + place, std::move(value)));
  }
  template <class Input>
  const_iterator insert(const_iterator at, Input first, Input last) {
    const auto place = at - begin();
    Items more;
    for (; first != last; ++first) more.emplace_back(*first);
    Items& items = own();
    return const_iterator(items.insert(items.begin() + place, more.begin(), more.end()));
  }
  const_iterator erase(const_iterator at) {
    const auto place = at - begin();
    Items& items = own();
    return const_iterator(items.erase(items.begin() + place));
  }
  void clear() { items_.reset(); }
  /// Puts this element in the place of another, shared.
  void take(size_t i, const SharedList& from, size_t j) { own()[i] = from.items()[j]; }
  /// By a projection, those that are alike in their order.
  template <class Less = std::ranges::less, class Projection = std::identity>
  void stable_sort(Less less = {}, Projection of = {}) {
    const auto in_order = [&](const Shared<T>& a, const Shared<T>& b) {
      return std::invoke(less, std::invoke(of, *a), std::invoke(of, *b));
    };
    if (!std::is_sorted(items().begin(), items().end(), in_order))
      std::stable_sort(own().begin(), own().end(), in_order);
  }
  /// Takes out those of which this is true, as std::erase_if does.
  template <class Predicate>
  friend size_t erase_if(SharedList& list, Predicate of) {
    if (std::ranges::none_of(list, of)) return 0;
    return std::erase_if(list.own(), [&](const Shared<T>& item) { return of(*item); });
  }

  // --- what is the same in memory ---

  bool same(const SharedList& other) const {
    return items_ && other.items_ ? items_->same(*other.items_) : !items_ && !other.items_;
  }
  /// Whether two elements are one in memory: equal without a look.
  bool same(size_t i, const SharedList& other, size_t j) const {
    return items()[i].same(other.items()[j]);
  }
  friend bool operator==(const SharedList& a, const SharedList& b) {
    return a.same(b) || a.items() == b.items();
  }

 private:
  const Items& items() const {
    static const Items none;
    return items_ ? **items_ : none;
  }
  Items& own() {
    if (!items_) items_.emplace(Items{});
    return items_->edit();
  }

  std::optional<Shared<Items>> items_;  // empty: no elements
};

}  // namespace drevan
