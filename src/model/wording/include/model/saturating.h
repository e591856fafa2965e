// A whole number that stays at its ends instead of going round.
#pragma once

#include <compare>
#include <concepts>
#include <cstdint>
#include <limits>
#include <type_traits>
#include <utility>

namespace greymet::model {

// Within 2^62 of 0: what leaves that range stays at its end. So half of what an std::int64_t holds
// is left for whoever goes on without this type; as nanoseconds it is 146 years. Converts both
// ways, and an expression in which one operand is of this type is computed in it.
class Saturating {
 public:
  static constexpr std::int64_t most = (std::int64_t{1} << 62) - 1;

  constexpr Saturating() = default;
  template <std::integral T>
  constexpr Saturating(T value)  // NOLINT(google-explicit-constructor): a number like others
      : value_(std::cmp_greater(value, most) ? most
               : std::cmp_less(value, -most) ? -most
                                             : static_cast<std::int64_t>(value)) {}
  template <std::floating_point T>
  explicit constexpr Saturating(T value) : value_(of_real(static_cast<double>(value))) {}

  constexpr operator std::int64_t() const { return value_; }  // NOLINT(google-explicit-constructor)
  template <class T>
  requires(std::is_arithmetic_v<T> && !std::same_as<T, std::int64_t>) explicit constexpr
  operator T() const {
    return static_cast<T>(value_);
  }

  friend constexpr bool operator==(Saturating a, Saturating b) { return a.value_ == b.value_; }
  friend constexpr auto operator<=>(Saturating a, Saturating b) { return a.value_ <=> b.value_; }
  friend constexpr Saturating operator+(Saturating a, Saturating b) {
    return Saturating(a.value_ + b.value_);  // at most 2^63 - 2
  }
  friend constexpr Saturating operator-(Saturating a, Saturating b) {
    return Saturating(a.value_ - b.value_);
  }
  friend constexpr Saturating operator*(Saturating a, Saturating b) {
    std::int64_t product = 0;
    if (!__builtin_mul_overflow(a.value_, b.value_, &product)) return Saturating(product);
    return Saturating((a.value_ < 0) == (b.value_ < 0) ? most : -most);
  }
  // As of whole numbers: the divisor is not 0.
  constexpr Saturating& operator+=(Saturating other) { return *this = *this + other; }
  constexpr Saturating& operator-=(Saturating other) { return *this = *this - other; }
  constexpr Saturating& operator*=(Saturating other) { return *this = *this * other; }
  constexpr Saturating& operator/=(Saturating other) { return *this = *this / other; }
  constexpr Saturating& operator%=(Saturating other) { return *this = *this % other; }
  constexpr Saturating& operator++() { return *this += 1; }
  constexpr Saturating operator-() const { return Saturating(-value_); }
  constexpr Saturating operator+() const { return *this; }
  friend constexpr Saturating operator/(Saturating a, Saturating b) {
    return Saturating(a.value_ / b.value_);
  }
  friend constexpr Saturating operator%(Saturating a, Saturating b) {
    return Saturating(a.value_ % b.value_);
  }

 private:
  static constexpr std::int64_t of_real(double value) {
    constexpr auto end = static_cast<double>(most);
    if (!(value < end)) return value >= end ? most : 0;  // not a number: 0
    return value > -end ? static_cast<std::int64_t>(value) : -most;
  }

  std::int64_t value_ = 0;
};

// With any other whole number: computed in this type.
template <class A, class B>
concept SaturatingWith = (std::same_as<A, Saturating> && std::integral<B>) ||
                         (std::integral<A> && std::same_as<B, Saturating>);

template <class A, class B>
requires SaturatingWith<A, B>
constexpr Saturating operator+(A a, B b) {
  return Saturating(a) + Saturating(b);
}
template <class A, class B>
requires SaturatingWith<A, B>
constexpr Saturating operator-(A a, B b) {
  return Saturating(a) - Saturating(b);
}
template <class A, class B>
requires SaturatingWith<A, B>
constexpr Saturating operator*(A a, B b) {
  return Saturating(a) * Saturating(b);
}
template <class A, class B>
requires SaturatingWith<A, B>
constexpr Saturating operator/(A a, B b) {
  return Saturating(a) / Saturating(b);
}
template <class A, class B>
requires SaturatingWith<A, B>
constexpr Saturating operator%(A a, B b) {
  return Saturating(a) % Saturating(b);
}
template <class A, class B>
requires SaturatingWith<A, B>
constexpr bool operator==(A a, B b) {
  return Saturating(a) == Saturating(b);
}
template <class A, class B>
requires SaturatingWith<A, B>
constexpr auto operator<=>(A a, B b) {
  return Saturating(a) <=> Saturating(b);
}

}  // namespace greymet::model

template <>
struct std::numeric_limits<greymet::model::Saturating> : std::numeric_limits<std::int64_t> {
  static constexpr greymet::model::Saturating max() { return greymet::model::Saturating::most; }
  static constexpr greymet::model::Saturating lowest() { return -greymet::model::Saturating::most; }
  static constexpr greymet::model::Saturating min() { return lowest(); }
};

template <std::integral T>
struct std::common_type<greymet::model::Saturating, T> {
  using type = greymet::model::Saturating;
};
template <std::integral T>
struct std::common_type<T, greymet::model::Saturating> {
  using type = greymet::model::Saturating;
};
template <std::floating_point T>
struct std::common_type<greymet::model::Saturating, T> {
  using type = T;
};
template <std::floating_point T>
struct std::common_type<T, greymet::model::Saturating> {
  using type = T;
};
