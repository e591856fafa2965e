// Where a value stands in a file, so that every finding can point at it, and every cure replace it.
#pragma once

#include <algorithm>
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace greymet::model {

// A stretch of one of the plan's files, from its first character to just behind its last. Lines and
// columns count from 1, columns in code points. Line 0 means "the file as a whole". Where the end
// is not known both its numbers are 0. In order of where they begin.
struct Range {
  std::uint32_t file = 0;  // index into Plan::files
  std::uint32_t line = 0;
  std::uint32_t column = 0;
  std::uint32_t end_line = 0;
  std::uint32_t end_column = 0;
  friend auto operator<=>(const Range&, const Range&) = default;

  [[nodiscard]] bool has_end() const { return end_line > 0; }
};

// A value together with the stretch of text it was written as.
template <class T>
struct Located {
  T value{};
  Range place;
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
[[nodiscard]] Range place_or(const Declared<T>& declared, Range fallback) {
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

// Where a cell stands in its row's line, in code points; 0 where it is empty, or lies further to
// the right than 65535. `like_thousands`: a number with one sign and three digits behind it,
// "3.600".
struct CellSpot {
  std::uint16_t column = 0;
  std::uint16_t end_column = 0;
  bool like_thousands = false;
};

}  // namespace greymet::model
