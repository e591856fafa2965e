#include "modbus/value_readings.h"

#include <charconv>
#include <cmath>

#include <fmt/format.h>
#include <boost/multiprecision/cpp_dec_float.hpp>

namespace greymet::modbus {

using model::TypeKind;
using model::WordOrder;

namespace {

constexpr std::size_t digits_per_word = 4;
constexpr std::size_t longest_shown = 40;
constexpr std::size_t most_words = 125;  // what one request can bring

std::optional<double> number_of(const RawValue& raw) {
  return std::visit(
      [](const auto& value) -> std::optional<double> {
        using T = std::decay_t<decltype(value)>;
        if constexpr (std::is_same_v<T, std::string>) {
          return std::nullopt;
        } else {
          return static_cast<double>(value);
        }
      },
      raw);
}

// raw x factor + offset as people compute it, in decimals: 65535 x 0.0001 is 6.5535, and no digit
// of a counter is lost.
std::optional<double> parse_number(std::string_view text) {
  double value = 0;
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
  if (error != std::errc() || end != text.data() + text.size()) return std::nullopt;
  return std::isfinite(value) ? std::optional(value) : std::nullopt;
}

void mark_plausible(std::vector<ValueReading>& readings, double near) {
  std::optional<double> best;
  const auto deviation = [near](const ValueReading& r) { return std::abs(*r.engineering - near); };
  for (const ValueReading& r : readings) {
    if (!r.engineering || !std::isfinite(*r.engineering)) continue;
    if (!best || deviation(r) < *best) best = deviation(r);
  }
  if (!best || *best > plausible_deviation * std::max(std::abs(near), 1e-9)) return;
  for (ValueReading& r : readings) {
    r.plausible = r.engineering && std::isfinite(*r.engineering) && deviation(r) <= *best;
  }
}

}  // namespace

std::string engineering_digits(const RawValue& raw, model::DataType type, double factor,
                               double offset) {
  using Decimal = boost::multiprecision::cpp_dec_float_100;
  const Decimal value = Decimal(to_text(raw, type)) * Decimal(fmt::format("{}", factor)) +
                        Decimal(fmt::format("{}", offset));
  constexpr int most_digits = 40;
  return value.str(most_digits);
}

bool same_number(std::string_view a, std::string_view b) {
  if (!parse_number(a) || !parse_number(b)) return false;
  using Decimal = boost::multiprecision::cpp_dec_float_100;
  return Decimal(std::string(a)) == Decimal(std::string(b));
}

tl::expected<std::vector<ValueReading>, std::string> read_in_all_orders(
    const ValueQuestion& question) {
  const std::uint32_t needed = registers_of(question.type);
  if (question.words.size() != needed) {
    return tl::unexpected(fmt::format(
        "{} takes {} register{}, {} given; write e.g. {}", to_text(question.type), needed,
        needed == 1 ? "" : "s", question.words.size(), needed == 1 ? "42F6" : "42F6 E979 for f32"));
  }
  const bool text = question.type.kind == TypeKind::text;
  std::optional<double> near;
  if (question.near && !text) {
    near = parse_number(*question.near);
    if (!near) {
      return tl::unexpected(fmt::format("'{}' is no number; write e.g. --near 123.4",
                                        question.near->substr(0, longest_shown)));
    }
  }
  model::Point scaling;
  scaling.factor = question.factor;
  scaling.offset = question.offset;
  std::vector<ValueReading> readings;
  for (const WordOrder order :
       {WordOrder::abcd, WordOrder::cdab, WordOrder::badc, WordOrder::dcba}) {
    ValueReading reading;
    reading.order = order;
    auto raw = decode_value(question.words, question.type, order, question.bit);
    if (raw) {
      const auto number = number_of(*raw);
      if (number && std::isfinite(*number) && question.type.kind != TypeKind::boolean &&
          question.type.kind != TypeKind::bits) {
        reading.engineering_text =
            engineering_digits(*raw, question.type, question.factor, question.offset);
        reading.engineering = parse_number(reading.engineering_text);
      } else if (number) {
        reading.engineering = engineering_value(*raw, scaling);
        reading.engineering_text = fmt::format("{}", *reading.engineering);
      }
      if (text && question.near) reading.plausible = std::get<std::string>(*raw) == *question.near;
      reading.raw = std::move(*raw);
    } else {
      reading.problem = raw.error();
    }
    readings.push_back(std::move(reading));
    if (needed == 1 && !text) break;
  }
  if (near) mark_plausible(readings, *near);
  return readings;
}

namespace {

std::vector<std::string_view> items_of(const std::vector<std::string>& texts) {
  std::vector<std::string_view> items;
  for (const std::string& text : texts) {
    std::size_t from = 0;
    while (from <= text.size()) {
      const std::size_t end = std::min(text.find_first_of(", \t", from), text.size());
      if (end > from) items.push_back(std::string_view(text).substr(from, end - from));
      from = end + 1;
    }
  }
  return items;
}

std::optional<std::uint16_t> decimal_word(std::string_view item) {
  constexpr std::int32_t most = 65535;
  constexpr std::int32_t least = -32768;
  std::int32_t value = 0;
  const auto [end, error] = std::from_chars(item.data(), item.data() + item.size(), value);
  if (error != std::errc() || end != item.data() + item.size()) return std::nullopt;
  if (value < least || value > most) return std::nullopt;
  return static_cast<std::uint16_t>(value);
}

}  // namespace

tl::expected<std::vector<std::uint16_t>, std::string> words_from_decimal(
    const std::vector<std::string>& texts) {
  std::vector<std::uint16_t> words;
  for (const std::string_view item : items_of(texts)) {
    const auto word = decimal_word(item);
    if (!word) {
      return tl::unexpected(
          fmt::format("'{}' is no register word; write 0 to 65535, or -32768 to -1 each",
                      item.substr(0, longest_shown)));
    }
    words.push_back(*word);
    if (words.size() > most_words)
      return tl::unexpected(fmt::format("more than {} words", most_words));
  }
  if (words.empty()) return tl::unexpected(std::string("no words given; write e.g. 17142 59769"));
  return words;
}

bool may_be_decimal(const std::vector<std::string>& texts) {
  const auto items = items_of(texts);
  return !items.empty() && std::all_of(items.begin(), items.end(), [](std::string_view item) {
    return item.find_first_not_of("0123456789") == std::string_view::npos && decimal_word(item);
  });
}

tl::expected<std::vector<std::uint16_t>, std::string> words_from_hex(
    const std::vector<std::string>& texts) {
  std::vector<std::uint16_t> words;
  for (const std::string& text : texts) {
    std::size_t from = 0;
    while (from <= text.size()) {
      const std::size_t end = std::min(text.find_first_of(", \t", from), text.size());
      std::string_view item = std::string_view(text).substr(from, end - from);
      from = end + 1;
      if (item.empty()) continue;
      const std::string_view shown = item.substr(0, longest_shown);
      if (item.starts_with("0x") || item.starts_with("0X")) item.remove_prefix(2);
      const bool one = !item.empty() && item.size() <= digits_per_word;
      const bool hex = item.find_first_not_of("0123456789abcdefABCDEF") == std::string_view::npos;
      if (!hex || (!one && (item.empty() || item.size() % digits_per_word != 0))) {
        return tl::unexpected(fmt::format(
            "'{}' is no register word; write four hexadecimal digits each, as 42F6 E979", shown));
      }
      for (std::size_t i = 0; i < item.size(); i += digits_per_word) {
        const std::string_view digits = item.substr(i, digits_per_word);
        std::uint16_t word = 0;
        std::from_chars(digits.data(), digits.data() + digits.size(), word, 16);
        words.push_back(word);
        if (words.size() > most_words) {
          return tl::unexpected(fmt::format("more than {} words", most_words));
        }
      }
    }
  }
  if (words.empty()) return tl::unexpected(std::string("no words given; write e.g. 42F6 E979"));
  return words;
}

std::string to_text(const RawValue& value, model::DataType type) {
  return std::visit(
      [type](const auto& v) -> std::string {
        using T = std::decay_t<decltype(v)>;
        if constexpr (std::is_same_v<T, bool>) {
          return v ? "true" : "false";
        } else if constexpr (std::is_same_v<T, double>) {
          return type.kind == TypeKind::f32 ? fmt::format("{}", static_cast<float>(v))
                                            : fmt::format("{}", v);
        } else if constexpr (std::is_same_v<T, std::string>) {
          return v;
        } else {
          if (type.kind == TypeKind::bits) return fmt::format("{:016b}", v);
          return fmt::format("{}", v);
        }
      },
      value);
}

}  // namespace greymet::modbus
