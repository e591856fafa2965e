#include "engine/write_watch.h"

#include <algorithm>
#include <map>
#include <optional>

#include <fmt/format.h>

#include "engine/expected_values.h"

namespace greymet::engine {

using model::Area;
using model::Extent;
using model::Point;

// Walks back in time: what lies there now, less what the requests since have written.
struct WriteWatch::Undo {
  Field& field;
  std::map<Spot, std::uint16_t> words;

  [[nodiscard]] std::uint16_t word(const model::Target& target, Area area,
                                   std::uint32_t offset) const {
    const auto at = words.find({target, area, offset});
    return at != words.end() ? at->second : field.slave(target.index).word(area, offset);
  }
};

namespace {

std::string point_text(const std::vector<std::uint16_t>& words, const Point& point,
                       std::optional<model::WordOrder> order) {
  const auto found = value_in(words, point, order.value_or(model::WordOrder::abcd));
  return found ? found->text : std::string("-");
}

std::string memory_name(const model::ResolvedPlan& plan, const model::Target& target, Area area,
                        std::uint32_t offset) {
  const model::MemoryLayout& layout = plan.layouts[target.index];
  const auto range = layout.serving(area, offset, 1);
  return range ? layout.name_of(*range)
               : to_text(model::Address{area, {static_cast<std::uint16_t>(offset)}});
}

}  // namespace

std::vector<WrittenChange> WriteWatch::take(Field& field) {
  const std::vector<WrittenWord> noted = field.take_written();
  for (const WrittenWord& word : noted) written_.insert({word.target, word.area, word.offset});
  const auto same_request = [](const WrittenWord& a, const WrittenWord& b) {
    return a.at == b.at && a.target == b.target && a.area == b.area;
  };
  Undo undo{field, {}};
  std::vector<std::vector<WrittenChange>> by_request;  // the last one first
  auto end = noted.end();
  while (end != noted.begin()) {
    auto begin = end - 1;
    while (begin != noted.begin() && same_request(*(begin - 1), *begin)) --begin;
    by_request.emplace_back();
    add_changes({begin, end}, undo, by_request.back());
    end = begin;
  }
  std::vector<WrittenChange> out;
  std::reverse(by_request.begin(), by_request.end());
  for (std::vector<WrittenChange>& request : by_request) {
    for (WrittenChange& change : request) out.push_back(std::move(change));
  }
  return out;
}

void WriteWatch::add_changes(const std::vector<WrittenWord>& request, Undo& later,
                             std::vector<WrittenChange>& out) const {
  const WrittenWord& first = request.front();
  std::map<std::uint32_t, std::pair<std::uint16_t, std::uint16_t>> changed;  // before, after
  for (const WrittenWord& word : request) {
    const auto [at, is_new] = changed.try_emplace(word.offset, word.before, word.after);
    if (!is_new) at->second.second = word.after;
  }
  const model::RegisterMap* map = first.target.is_peer ? nullptr : plan_.map_of(first.target);
  std::set<const Point*> points;
  for (const auto& [offset, words] : changed) {
    if (words.first == words.second) continue;
    bool named = false;
    if (map != nullptr) {
      for (const Point* point : map->points_touching(first.area, {offset, offset + 1})) {
        points.insert(point);
        named = true;
      }
    }
    if (named) continue;
    const std::string place =
        first.target.is_peer
            ? memory_name(plan_, first.target, first.area, offset)
            : to_text(model::Address{first.area, {static_cast<std::uint16_t>(offset)}});
    out.push_back({first.at, fmt::format("{}.{}", plan_.target_name(first.target), place),
                   fmt::format("{}", words.first), fmt::format("{}", words.second)});
  }
  for (const Point* point : points) {
    const Extent extent = model::extent_of(*point);
    std::vector<std::uint16_t> before;
    std::vector<std::uint16_t> after;
    for (std::uint32_t at = extent.first; at < extent.end; ++at) {
      const auto written = changed.find(at);
      const bool is_written = written != changed.end();
      const std::uint16_t still = later.word(first.target, first.area, at);
      before.push_back(is_written ? written->second.first : still);
      after.push_back(is_written ? written->second.second : still);
    }
    const auto order = plan_.order_of(first.target.index, *point);
    std::string was = point_text(before, *point, order);
    std::string is = point_text(after, *point, order);
    // another bit of the same word
    if (point->bit && was == is) continue;
    out.push_back({first.at, fmt::format("{}.{}", plan_.target_name(first.target), point->name),
                   std::move(was), std::move(is)});
  }
  for (const auto& [offset, words] : changed) {
    later.words[{first.target, first.area, offset}] = words.first;
  }
}

bool WriteWatch::was_written(std::size_t slave, std::size_t point) const {
  const model::Target target{false, slave, 0};
  const Point& of = plan_.map_of(target)->points()[point];
  const Extent extent = model::extent_of(of);
  for (std::uint32_t at = extent.first; at < extent.end; ++at) {
    if (!written_.contains({target, of.address.area, at})) return false;
  }
  return true;
}

}  // namespace greymet::engine
