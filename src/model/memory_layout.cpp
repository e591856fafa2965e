#include "model/memory_layout.h"

#include <algorithm>
#include <charconv>

#include <fmt/format.h>

#include "model/ascii_text.h"
#include "model/controller.h"
#include "model/text_slips.h"

namespace greymet::model {
namespace {

std::optional<std::int64_t> parse_number(std::string_view text, int radix) {
  std::int64_t value = 0;
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value, radix);
  if (error != std::errc() || end != text.data() + text.size() || value < 0) return std::nullopt;
  return value;
}

tl::unexpected<MemoryFailure> fail(MemoryError error, std::string message) {
  return tl::unexpected(MemoryFailure{error, std::move(message)});
}

}  // namespace

MemoryLayout::MemoryLayout(const Controller& controller) : controller_(&controller) {
  const auto& areas = controller.memory;
  services_.resize(areas.size());
  for (std::size_t i = 0; i < areas.size(); ++i) {
    std::size_t store = i;
    if (areas[i].inside) {
      const auto parent = area_named(areas[i].inside->value);
      if (parent && areas[*parent].kind == MemoryKind::word) store = *parent;
    }
    store_of_.push_back(store);
    for (const Located<AddressText>& text : areas[i].serves) {
      const auto reading = read_address(text.value, Numbering::from_0);
      if (reading && reading->area && reading->offset < addresses_per_area) {
        services_[i].push_back({*reading->area, static_cast<std::uint32_t>(reading->offset)});
      }
    }
  }
}

std::optional<std::size_t> MemoryLayout::area_named(std::string_view name) const {
  for (std::size_t i = 0; i < controller_->memory.size(); ++i) {
    if (controller_->memory[i].name == name) return i;
  }
  return std::nullopt;
}

tl::expected<MemorySpot, MemoryFailure> MemoryLayout::read(std::string_view text) const {
  const std::string shown(text.substr(0, 60));
  std::optional<std::size_t> area;
  for (std::size_t i = 0; i < controller_->memory.size(); ++i) {
    const std::string& name = controller_->memory[i].name;
    if (name.empty() || !text.starts_with(name)) continue;
    const std::string_view rest = text.substr(name.size());
    const bool fits = rest.empty() || rest.front() == '.' ||
                      parse_number(rest.substr(0, rest.find('.')), controller_->memory[i].radix);
    if (fits && (!area || name.size() > controller_->memory[*area].name.size())) area = i;
  }
  if (!area) {
    std::string known;
    for (const MemoryArea& each : controller_->memory) {
      known += (known.empty() ? "" : ", ") + each.name;
    }
    return tl::unexpected(MemoryFailure{
        MemoryError::no_such_area,
        known.empty()
            ? fmt::format("'{}': controller {} declares no memory", shown, controller_->name)
            : fmt::format("'{}' is in no memory area of controller {}, which has {}", shown,
                          controller_->name, known),
        meant_by(text)});
  }
  MemorySpot spot{*area, std::nullopt, std::nullopt};
  std::string_view rest = text.substr(controller_->memory[*area].name.size());
  const std::size_t dot = rest.find('.');
  if (dot != std::string_view::npos) {
    const auto bit = parse_number(rest.substr(dot + 1), 10);
    if (!bit || dot == 0 || *bit > 0xffff || controller_->memory[*area].kind == MemoryKind::bit) {
      return fail(MemoryError::not_an_address,
                  fmt::format("'{}' is not an address: a bit is written behind a word, as {}0.3",
                              shown, controller_->memory[*area].name));
    }
    spot.bit = static_cast<std::uint32_t>(*bit);
    rest = rest.substr(0, dot);
  }
  if (!rest.empty()) spot.number = parse_number(rest, controller_->memory[*area].radix);
  return spot;
}

std::optional<std::string> MemoryLayout::meant_by(std::string_view text) const {
  std::string form = without_typography(text).value_or(std::string(text));
  std::erase_if(form, [](char c) { return c == ' ' || c == '\t' || c == '%'; });
  std::optional<std::string> meant;
  for (const MemoryArea& area : controller_->memory) {
    std::string name = area.name;
    std::erase(name, '%');
    if (name.empty() || !equal_in_any_case(std::string_view(form).substr(0, name.size()), name)) {
      continue;
    }
    std::string right = area.name + form.substr(name.size());
    if (right == text || right.size() == area.name.size() || !read(right)) continue;
    if (meant) return std::nullopt;
    meant = std::move(right);
  }
  return meant;
}

std::uint64_t MemoryLayout::first_bit(std::size_t area, std::int64_t number) const {
  const MemoryArea& at = controller_->memory[area];
  if (at.kind == MemoryKind::word) {
    return static_cast<std::uint64_t>(number - at.first) * bits_per_word;
  }
  if (store_of_[area] == area) return static_cast<std::uint64_t>(number - at.first);
  const MemoryArea& parent = controller_->memory[store_of_[area]];
  const std::int64_t word = number / at.width - parent.first;
  return static_cast<std::uint64_t>(word) * bits_per_word +
         static_cast<std::uint64_t>(number % at.width);
}

tl::expected<MemoryRange, MemoryFailure> MemoryLayout::range(std::size_t area, std::int64_t number,
                                                             std::int64_t count) const {
  const MemoryArea& at = controller_->memory[area];
  const std::int64_t end = at.first + at.count;
  if (count < 1 || number < at.first || number >= end || count > end - number) {
    constexpr std::int64_t longest_named = 1'000'000'000;  // beyond it the end could overflow
    const bool one = count <= 1 || count > longest_named || number > longest_named;
    const std::string what =
        one ? name_of(area, number)
            : fmt::format("{}..{}", name_of(area, number), name_of(area, number + count - 1));
    return fail(MemoryError::outside,
                fmt::format("{} lies outside {} of controller {}, which ends at {}", what, at.name,
                            controller_->name, name_of(area, end - 1)));
  }
  MemoryRange range{area, number, count, std::nullopt, false, {}};
  range.bits = {store_of_[area], first_bit(area, number), 0};
  range.bits.end = at.kind == MemoryKind::word
                       ? range.bits.first + static_cast<std::uint64_t>(count) * bits_per_word
                       : first_bit(area, number + count - 1) + 1;
  return range;
}

tl::expected<MemoryRange, MemoryFailure> MemoryLayout::single_bit(const MemorySpot& spot) const {
  const MemoryArea& at = controller_->memory[spot.area];
  if (!spot.number || (at.kind == MemoryKind::word && !spot.bit)) {
    return fail(MemoryError::not_an_address,
                fmt::format("{} names no single bit; write it as {}", at.name,
                            at.kind == MemoryKind::word ? at.name + "0.3" : at.name + "0"));
  }
  auto found = range(spot.area, *spot.number, 1);
  if (found && spot.bit && *spot.bit < bits_per_word) {
    found->bit = spot.bit;
    found->bits.first += *spot.bit;
    found->bits.end = found->bits.first + 1;
  }
  return found;
}

std::string MemoryLayout::name_of(std::size_t area, std::int64_t number) const {
  const MemoryArea& at = controller_->memory[area];
  switch (at.radix) {
    case 8: return fmt::format("{}{:o}", at.name, number);
    case 16: return fmt::format("{}{:X}", at.name, number);
    default: return fmt::format("{}{}", at.name, number);
  }
}

std::string MemoryLayout::name_of(const MemoryRange& range) const {
  std::string first = name_of(range.area, range.number);
  if (range.bit) return fmt::format("{}.{}", first, *range.bit);
  if (range.count <= 1) return first;
  return fmt::format("{}..{}", first, name_of(range.area, range.number + range.count - 1));
}

std::string MemoryLayout::name_of(const BitRange& bits) const {
  const MemoryArea& at = controller_->memory[bits.store];
  const auto first = static_cast<std::int64_t>(bits.first);
  const auto last = static_cast<std::int64_t>(bits.end) - 1;
  if (at.kind == MemoryKind::bit) {
    return name_of(MemoryRange{bits.store, at.first + first, last - first + 1, {}, false, bits});
  }
  const auto width = static_cast<std::int64_t>(bits_per_word);
  MemoryRange words{
      bits.store, at.first + first / width, last / width - first / width + 1, {}, false, bits};
  if (first == last) words.bit = static_cast<std::uint32_t>(first % width);
  return name_of(words);
}

bool MemoryLayout::serves(Area served) const {
  return std::any_of(services_.begin(), services_.end(), [served](const auto& services) {
    return std::any_of(services.begin(), services.end(),
                       [served](const Service& service) { return service.area == served; });
  });
}

std::optional<std::uint32_t> MemoryLayout::served_at(std::size_t area, Area served) const {
  for (const Service& service : services_[area]) {
    if (service.area == served) return service.offset;
  }
  return std::nullopt;
}

std::optional<MemoryRange> MemoryLayout::serving(Area served, std::uint32_t offset,
                                                 std::uint32_t count) const {
  for (std::size_t i = 0; i < services_.size(); ++i) {
    for (const Service& service : services_[i]) {
      if (service.area != served || offset < service.offset) continue;
      const std::int64_t number = controller_->memory[i].first + (offset - service.offset);
      if (auto found = range(i, number, count)) return *found;
    }
  }
  return std::nullopt;
}

}  // namespace greymet::model
