#include "value_history.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <string_view>

#include <fmt/format.h>

#include "engine/expected_values.h"
#include "model/resolved_plan.h"

namespace greymet::cli {

using model::Extent;
using model::Point;

namespace {

std::string hex_of(const std::vector<std::uint16_t>& words) {
  std::string out;
  for (const std::uint16_t word : words)
    out += fmt::format("{}{:04X}", out.empty() ? "" : " ", word);
  return out;
}

char printable(unsigned byte) {
  return byte >= 0x20 && byte < 0x7F ? static_cast<char>(byte) : '.';
}

CarriedValue plain_word(const model::DeviceBlock& block, std::size_t at, std::uint16_t word) {
  CarriedValue out;
  out.name = to_text(model::Address{
      block.area, {static_cast<std::uint16_t>(block.offset + static_cast<std::uint32_t>(at))}});
  out.first = at;
  out.number = word;
  out.text = fmt::format("{}", word);
  if (model::is_bit_area(block.area)) return out;
  out.raw = fmt::format("{:04X} {:>6} '{}{}'", word, static_cast<std::int16_t>(word),
                        printable(word >> 8U), printable(word & 0xFFU));
  return out;
}

}  // namespace

std::vector<CarriedValue> carried_values(const model::ResolvedPlan& plan,
                                         const engine::RunWatch& watch, std::size_t transaction) {
  std::vector<CarriedValue> out;
  const model::ExchangeTransaction* t = plan.exchange.find(transaction);
  const std::vector<std::uint16_t>& words = watch.last_words(transaction).words;
  if (t == nullptr || words.empty()) return out;
  const auto& block = t->read ? t->read : t->write;
  if (!block) return out;
  std::vector<bool> covered(words.size());
  const model::RegisterMap* map = plan.map_of(t->target);
  const auto swap = t->read ? t->read_swap : std::nullopt;
  if (map != nullptr) {
    for (const Point* point : map->points_touching(block->area, block->extent())) {
      const Extent extent = model::extent_of(*point);
      if (extent.first < block->offset || extent.end > block->offset + words.size()) continue;
      const std::size_t first = extent.first - block->offset;
      const std::size_t count = extent.end - extent.first;
      const auto begin = words.begin() + static_cast<std::ptrdiff_t>(first);
      const std::vector<std::uint16_t> own(begin, begin + static_cast<std::ptrdiff_t>(count));
      const auto order = count > 1 && swap ? swap : plan.order_of(t->target.index, *point);
      const auto found = engine::value_in(own, *point, order.value_or(model::WordOrder::abcd));
      CarriedValue value;
      value.name = point->name;
      value.unit = point->unit;
      value.first = first;
      value.text = found ? found->named_text() : "-";
      if (found) value.number = found->number;
      if (!model::is_bit_area(block->area)) value.raw = hex_of(own);
      out.push_back(std::move(value));
      std::fill_n(covered.begin() + static_cast<std::ptrdiff_t>(first), count, true);
    }
  }
  for (std::size_t i = 0; i < words.size(); ++i) {
    if (!covered[i]) out.push_back(plain_word(*block, i, words[i]));
  }
  std::stable_sort(out.begin(), out.end(),
                   [](const CarriedValue& a, const CarriedValue& b) { return a.first < b.first; });
  return out;
}

void ValueHistory::look(model::Duration now, const engine::RunWatch& watch) {
  if (now < next_) return;
  next_ = now + std::chrono::seconds(1);
  for (const model::ExchangeTransaction& t : plan_.exchange.transactions) {
    const engine::LastWords& last = watch.last_words(t.transaction);
    if (last.words.empty()) continue;
    model::Duration& sampled = sampled_[t.transaction];
    const bool is_new = last.at > sampled;
    sampled = last.at;
    for (const CarriedValue& value : carried_values(plan_, watch, t.transaction)) {
      auto& samples = samples_[{t.transaction, value.first}];
      samples.push_back(is_new ? value.number : std::nullopt);
      if (samples.size() > most) samples.pop_front();
    }
  }
}

const std::deque<std::optional<double>>* ValueHistory::of(std::size_t transaction,
                                                          std::size_t first) const {
  const auto at = samples_.find({transaction, first});
  return at == samples_.end() ? nullptr : &at->second;
}

std::string sparkline(const std::deque<std::optional<double>>& samples, bool utf8) {
  constexpr std::array<std::string_view, 8> bars{"▁", "▂", "▃", "▄", "▅", "▆", "▇", "█"};
  constexpr std::array<std::string_view, 8> plain{"1", "2", "3", "4", "5", "6", "7", "8"};
  std::optional<double> least;
  std::optional<double> most;
  for (const auto& sample : samples) {
    if (!sample) continue;
    least = std::min(least.value_or(*sample), *sample);
    most = std::max(most.value_or(*sample), *sample);
  }
  std::string out;
  for (const auto& sample : samples) {
    if (!sample) {
      out += ' ';
      continue;
    }
    const double range = *most - *least;
    const double part = range > 0 ? (*sample - *least) / range : 0.5;
    const auto level = static_cast<std::size_t>(std::lround(std::clamp(part, 0.0, 1.0) * 7.0));
    out += (utf8 ? bars : plain)[level];
  }
  return out;
}

}  // namespace greymet::cli
