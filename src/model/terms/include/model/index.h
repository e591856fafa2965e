// Indices that know into which list they point: a line cannot be mistaken for a slave.
#pragma once

#include <compare>
#include <concepts>
#include <cstddef>
#include <vector>

namespace greymet::model {

// A position in a list of `Tag`s. Made on purpose, read as a plain number.
template <class Tag>
struct Index {
  std::size_t value = 0;

  constexpr Index() = default;
  constexpr explicit Index(std::size_t position) : value(position) {}
  // NOLINTNEXTLINE(google-explicit-constructor): a number is what it is read as
  constexpr operator std::size_t() const { return value; }
  friend constexpr auto operator<=>(const Index&, const Index&) = default;
  friend constexpr bool operator==(const Index&, const Index&) = default;
};

using ControllerIndex = Index<struct Controller>;
using LineIndex = Index<struct Line>;
using GatewayIndex = Index<struct Gateway>;
using SlaveIndex = Index<struct Slave>;
using ConnectionIndex = Index<struct Connection>;

// A list that takes its own kind of index, or a plain number, and refuses every other kind.
template <class T, class I>
class Indexed : public std::vector<T> {
 public:
  using std::vector<T>::vector;

  [[nodiscard]] T& operator[](I index) { return this->begin()[offset(index.value)]; }
  [[nodiscard]] const T& operator[](I index) const { return this->begin()[offset(index.value)]; }
  template <std::integral N>
  [[nodiscard]] T& operator[](N position) {
    return this->begin()[offset(position)];
  }
  template <std::integral N>
  [[nodiscard]] const T& operator[](N position) const {
    return this->begin()[offset(position)];
  }
  template <class Other>
  T& operator[](Index<Other>) = delete;
  template <class Other>
  const T& operator[](Index<Other>) const = delete;

 private:
  template <class N>
  static constexpr std::ptrdiff_t offset(N position) {
    return static_cast<std::ptrdiff_t>(position);
  }
};

}  // namespace greymet::model
