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

// Without % and in small letters: what people take for the same name.
std::string spelling_of(std::string_view name) {
  std::string out;
  for (const char c : name) {
    if (c != '%') out += static_cast<char>(c >= 'A' && c <= 'Z' ? c - 'A' + 'a' : c);
  }
  return out;
}

tl::unexpected<MemoryFailure> fail(MemoryError error, std::string message) {
  return tl::unexpected(MemoryFailure{error, std::move(message)});
}

}  // namespace

MemoryLayout::MemoryLayout(const Controller& controller) : controller_(&controller) {
  const auto& areas = controller.memory;
  services_.resize(areas.size());
  for (std::size_t i = 0; i < areas.size(); ++i) {
    names_.try_emplace(areas[i].name, i);
    spellings_.emplace(spelling_of(areas[i].name), i);
    longest_name_ = std::max(longest_name_, areas[i].name.size());
  }
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
  const auto at = names_.find(name);
  return at == names_.end() ? std::nullopt : std::optional(at->second);
}

std::string MemoryLayout::some_names() const {
  constexpr std::size_t most = 12;
  std::string names;
  const auto& areas = controller_->memory;
  for (std::size_t i = 0; i < std::min(areas.size(), most); ++i) {
    names += (names.empty() ? "" : ", ") + areas[i].name;
  }
  return areas.size() > most ? fmt::format("{} and {} more", names, areas.size() - most) : names;
}

// "%MD20" where there is %MW: the words that it would be, as controllers count.
std::string MemoryLayout::other_size(std::string_view text) const {
  const std::size_t digits = text.find_first_of("0123456789");
  if (digits == std::string_view::npos || digits < 2) return {};
  const char size = text[digits - 1];
  const bool wide = size == 'D' || size == 'L';
  if (!wide && size != 'B') return {};
  const std::string words = std::string(text.substr(0, digits - 1)) + "W";
  const auto area = area_named(words);
  if (!area || controller_->memory[*area].name != words) return {};
  const auto number = parse_number(text.substr(digits), controller_->memory[*area].radix);
  constexpr std::int64_t most = 1 << 24;
  if (!number || *number < 0 || *number > most) return {};
  const std::int64_t n = *number;
  const std::int64_t each = size == 'D' ? 2 : 4;
  const std::string by_itself = name_of(*area, wide ? n * each : n / 2);
  if (!wide)
    return fmt::format("; as a byte it would lie in {} (or {})", by_itself, name_of(*area, n));
  return fmt::format("; it would be {} and the {} behind it, or {} where words are counted",
                     by_itself, size == 'D' ? "one" : "three", name_of(*area, n));
}

tl::expected<MemorySpot, MemoryFailure> MemoryLayout::read(std::string_view text) const {
  const std::string shown(text.substr(0, 60));
  std::optional<std::size_t> area;
  for (std::size_t size = std::min(text.size(), longest_name_); size > 0 && !area; --size) {
    const auto named = area_named(text.substr(0, size));
    if (!named) continue;
    const std::string_view rest = text.substr(size);
    const bool fits =
        rest.empty() || rest.front() == '.' ||
        parse_number(rest.substr(0, rest.find('.')), controller_->memory[*named].radix);
    if (fits) area = named;
  }
  if (!area) {
    const std::string known = some_names();
    return tl::unexpected(MemoryFailure{
        MemoryError::no_such_area,
        known.empty()
            ? fmt::format("'{}': controller {} declares no memory", shown, controller_->name)
            : fmt::format("'{}' is in no memory area of controller {}, which has {}{}", shown,
                          controller_->name, known, other_size(text)),
        meant_by(text),
        fmt::format("{} of {}", shown.substr(0, shown.find_first_of("0123456789")),
                    controller_->name)});
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
  const std::string spelling = spelling_of(form);
  for (std::size_t size = std::min(spelling.size(), longest_name_); size > 0; --size) {
    const auto [from, to] = spellings_.equal_range(spelling.substr(0, size));
    for (auto at = from; at != to; ++at) {
      std::string right = controller_->memory[at->second].name + form.substr(size);
      if (right == text || size == form.size() || !read(right)) continue;
      if (meant) return std::nullopt;
      meant = std::move(right);
    }
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
    auto failure = fail(MemoryError::outside,
                        fmt::format("{} lies outside {} of controller {}, which ends at {}", what,
                                    at.name, controller_->name, name_of(area, end - 1)));
    failure.value().area = fmt::format("{} of {}", at.name, controller_->name);
    return failure;
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
