// Where a value stands in a file, so that every finding can point at the spot.
#pragma once

#include <algorithm>
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace greymet::model {

// A spot in one of the plan's files. Line and column count from 1, columns in code points.
// Line 0 means "the file as a whole".
struct Place {
  std::uint32_t file = 0;  // index into Plan::files
  std::uint32_t line = 0;
  std::uint32_t column = 0;
  friend auto operator<=>(const Place&, const Place&) = default;
};

// A value together with the spot it was written at.
template <class T>
struct Located {
  T value{};
  Place place;
};

// A value that may have been left out.
template <class T>
using Declared = std::optional<Located<T>>;

// The declared value, or the default when it was left out.
template <class T>
[[nodiscard]] T value_or(const Declared<T>& declared, T fallback) {
  return declared ? declared->value : std::move(fallback);
}

// The place of the declared value, or that of the thing it belongs to when it was left out.
template <class T>
[[nodiscard]] Place place_or(const Declared<T>& declared, Place fallback) {
  return declared ? declared->place : fallback;
}

// Keys that were written but whose values were refused: they are neither there nor missing, and
// nobody needs to hear of them twice.
struct RefusedKeys {
  std::vector<std::string> keys;
  [[nodiscard]] bool contains(std::string_view key) const {
    return std::find(keys.begin(), keys.end(), key) != keys.end();
  }
};

}  // namespace greymet::model
