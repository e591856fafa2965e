// Names of the values of a point: off, on, fault.
#include <algorithm>

#include <fmt/format.h>

#include "model/register_map.h"
#include "model/text_slips.h"

namespace greymet::model {

namespace {

// "-3", "12", "0x1F"
std::optional<std::int64_t> number_from(std::string_view text) {
  const bool negative = text.starts_with('-');
  if (negative) text.remove_prefix(1);
  const auto number = parse_plain_number(text);
  // "10h" and "$10" would be taken for hexadecimal: here that is more often a name
  if (!number || (number->hex && !text.starts_with("0x"))) return std::nullopt;
  return negative ? -number->value : number->value;
}

}  // namespace

tl::expected<std::vector<ValueName>, std::string> value_names_from(std::string_view text) {
  constexpr std::size_t most = 256;
  const char between = text.find(';') != std::string_view::npos   ? ';'
                       : text.find('|') != std::string_view::npos ? '|'
                                                                  : ',';
  std::vector<ValueName> out;
  while (!text.empty()) {
    const std::size_t end = std::min(text.find(between), text.size());
    const std::string_view part = trimmed(text.substr(0, end));
    text.remove_prefix(std::min(end + 1, text.size()));
    if (part.empty()) continue;
    const std::size_t sign = part.find_first_of("=:");
    const auto raw =
        sign == std::string_view::npos ? std::nullopt : number_from(trimmed(part.substr(0, sign)));
    const std::string_view name =
        sign == std::string_view::npos ? std::string_view() : trimmed(part.substr(sign + 1));
    if (!raw || name.empty()) {
      return tl::unexpected(fmt::format("'{}' is no number with its name", part.substr(0, 40)));
    }
    if (std::any_of(out.begin(), out.end(), [&](const auto& n) { return n.raw == *raw; })) {
      return tl::unexpected(fmt::format("{} has two names", *raw));
    }
    if (out.size() == most) return tl::unexpected(fmt::format("more than {} names", most));
    out.push_back({*raw, std::string(name)});
  }
  if (out.empty()) return tl::unexpected(std::string("it names nothing"));
  std::sort(out.begin(), out.end(),
            [](const ValueName& a, const ValueName& b) { return a.raw < b.raw; });
  return out;
}

std::string names_text(const std::vector<ValueName>& names) {
  std::string text;
  for (const ValueName& n : names) {
    text += fmt::format("{}{}={}", text.empty() ? "" : "; ", n.raw, n.name);
  }
  return text;
}

std::string name_of_value(const Point& point, std::int64_t raw) {
  std::string text;
  for (const ValueName& n : point.names) {
    const bool holds = point.type.kind == TypeKind::bits
                           ? n.raw >= 0 && n.raw < 16 && (raw >> n.raw & 1) != 0
                           : n.raw == raw;
    if (holds) text += (text.empty() ? "" : ", ") + n.name;
  }
  return text;
}

}  // namespace greymet::model
