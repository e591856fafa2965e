#include "model/nearest_name.h"

#include <algorithm>
#include <array>

#include <fmt/format.h>

#include "model/ascii_text.h"

namespace greymet::model {
namespace {

constexpr std::size_t longest_compared = 64;

// As edit_distance(), but any number above `limit` where the distance is larger than that.
std::size_t distance_up_to(std::string_view a, std::string_view b, std::size_t limit) {
  if (a.size() > longest_compared || b.size() > longest_compared) return longest_compared;
  using Row = std::array<std::size_t, longest_compared + 1>;
  std::array<Row, 3> rows;  // NOLINT(cppcoreguidelines-pro-type-member-init): filled row by row
  Row* before_last = &rows[0];
  Row* last = &rows[1];
  Row* row = &rows[2];
  for (std::size_t j = 0; j <= b.size(); ++j) (*last)[j] = j;
  for (std::size_t i = 1; i <= a.size(); ++i) {
    (*row)[0] = i;
    std::size_t least = i;
    for (std::size_t j = 1; j <= b.size(); ++j) {
      const std::size_t replaced = (*last)[j - 1] + (a[i - 1] == b[j - 1] ? 0 : 1);
      std::size_t& here = (*row)[j];
      here = std::min({(*last)[j] + 1, (*row)[j - 1] + 1, replaced});
      if (i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1]) {
        here = std::min(here, (*before_last)[j - 2] + 1);
      }
      least = std::min(least, here);
    }
    // a swap may reach over one row, and costs one
    if (least > limit + 1) return least;
    std::swap(before_last, last);
    std::swap(last, row);
  }
  return (*last)[b.size()];
}

}  // namespace

std::size_t edit_distance(std::string_view a, std::string_view b) {
  return distance_up_to(a, b, longest_compared);
}

std::optional<NearName> near_name(std::string_view name, std::span<const std::string_view> known) {
  const std::size_t near = std::max<std::size_t>(1, std::min<std::size_t>(3, name.size() / 3));
  std::optional<std::string_view> best;
  std::size_t best_distance = near + 1;
  std::size_t others = 0;
  for (std::string_view candidate : known.first(std::min(known.size(), most_names_compared))) {
    // each edit changes the length by one at most
    if (candidate.size() > name.size() + near || name.size() > candidate.size() + near) continue;
    if (equal_in_any_case(name, candidate)) return NearName{std::string(candidate), true};
    const std::size_t distance = distance_up_to(name, candidate, near);
    if (distance > near) continue;
    ++others;
    if (distance >= best_distance) continue;
    best = candidate;
    best_distance = distance;
  }
  if (!best) return std::nullopt;
  const auto digits = [](std::string_view text) {
    std::string out;
    for (const char c : text) {
      if (c >= '0' && c <= '9') out += c;
    }
    return out;
  };
  return NearName{std::string(*best), others == 1 && known.size() <= most_names_compared,
                  best_distance <= 1 && digits(name) == digits(*best)};
}

std::optional<std::string> nearest_name(std::string_view name,
                                        std::span<const std::string_view> known) {
  auto near = near_name(name, known);
  if (!near) return std::nullopt;
  return std::move(near->name);
}

std::string did_you_mean(std::string_view name, std::span<const std::string_view> known) {
  const auto nearest = nearest_name(name, known);
  return nearest ? fmt::format(" (did you mean '{}'?)", *nearest) : std::string();
}

std::string nearest_or_example(std::string_view name, std::span<const std::string_view> known) {
  std::string nearest = did_you_mean(name, known);
  if (!nearest.empty() || known.empty()) return nearest;
  return fmt::format("; write e.g. {}", known.front());
}

}  // namespace greymet::model
