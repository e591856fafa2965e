#include "modbus/value_writing.h"

#include <charconv>
#include <cmath>
#include <limits>

#include <fmt/format.h>

#include "modbus/value_readings.h"
#include "model/ascii_text.h"

namespace greymet::modbus {

using model::TypeKind;

namespace {

template <class T>
std::optional<T> number_in(std::string_view text) {
  T value{};
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
  if (error != std::errc() || end != text.data() + text.size()) return std::nullopt;
  return value;
}

// Raw whole numbers that the type holds.
struct Whole {
  bool is_signed = false;
  std::int64_t least = 0;
  std::uint64_t most = 0;
};
std::optional<Whole> whole_of(TypeKind kind) {
  const auto signed_type = [](auto zero) {
    using T = decltype(zero);
    return Whole{true, std::numeric_limits<T>::min(),
                 static_cast<std::uint64_t>(std::numeric_limits<T>::max())};
  };
  switch (kind) {
    case TypeKind::u16:
    case TypeKind::bits: return Whole{false, 0, std::numeric_limits<std::uint16_t>::max()};
    case TypeKind::u32: return Whole{false, 0, std::numeric_limits<std::uint32_t>::max()};
    case TypeKind::u64: return Whole{false, 0, std::numeric_limits<std::uint64_t>::max()};
    case TypeKind::i16: return signed_type(std::int16_t{});
    case TypeKind::i32: return signed_type(std::int32_t{});
    case TypeKind::i64: return signed_type(std::int64_t{});
    case TypeKind::bcd16: return Whole{false, 0, 9999};
    case TypeKind::bcd32: return Whole{false, 0, 99'999'999};
    case TypeKind::f32:
    case TypeKind::f64:
    case TypeKind::boolean:
    case TypeKind::text: return std::nullopt;
  }
  return std::nullopt;
}

std::string beyond(std::string_view text, const ValueForm& form, const Whole& whole) {
  const auto shown = [&](const RawValue& raw) {
    return engineering_digits(raw, form.type, form.factor, form.offset);
  };
  const RawValue least = whole.is_signed ? RawValue(whole.least) : RawValue(std::uint64_t{0});
  const RawValue most =
      whole.is_signed ? RawValue(static_cast<std::int64_t>(whole.most)) : RawValue(whole.most);
  std::string low = shown(least);
  std::string high = shown(most);
  if (form.factor < 0) std::swap(low, high);
  return fmt::format("{} does not fit {}: it holds {} to {}", text, to_text(form.type), low, high);
}

// A whole raw number; exact where the text is one and nothing scales it.
tl::expected<RawValue, std::string> whole_raw(std::string_view text, double value,
                                              const ValueForm& form, const Whole& whole) {
  if (form.factor == 1 && form.offset == 0) {
    const auto exact_signed = number_in<std::int64_t>(text);
    const auto exact = number_in<std::uint64_t>(text);
    if (whole.is_signed && exact_signed) {
      const bool fits =
          *exact_signed >= whole.least &&
          (*exact_signed < 0 || static_cast<std::uint64_t>(*exact_signed) <= whole.most);
      if (!fits) return tl::unexpected(beyond(text, form, whole));
      return RawValue(*exact_signed);
    }
    if (!whole.is_signed && exact) {
      if (*exact > whole.most) return tl::unexpected(beyond(text, form, whole));
      return RawValue(*exact);
    }
  }
  const double raw = std::round((value - form.offset) / form.factor);
  // 2^63 and 2^64 are the first that do not fit; both are doubles
  const double end = std::ldexp(1.0, whole.is_signed ? 63 : 64);
  const bool fits = raw >= static_cast<double>(whole.least) && raw < end &&
                    (raw < 0 || static_cast<std::uint64_t>(raw) <= whole.most);
  if (!fits) return tl::unexpected(beyond(text, form, whole));
  if (whole.is_signed) return RawValue(static_cast<std::int64_t>(raw));
  return RawValue(static_cast<std::uint64_t>(raw));
}

tl::expected<RawValue, std::string> real_raw(std::string_view text, double value,
                                             const ValueForm& form) {
  double raw = (value - form.offset) / form.factor;
  if (form.type.kind == TypeKind::f32) raw = static_cast<double>(static_cast<float>(raw));
  if (!std::isfinite(raw)) {
    return tl::unexpected(fmt::format("{} does not fit {}", text, to_text(form.type)));
  }
  return RawValue(raw);
}

tl::expected<WrittenValue, std::string> truth(std::string_view text) {
  for (const std::string_view yes : {"1", "true", "on"}) {
    if (model::equal_in_any_case(text, yes)) return WrittenValue{RawValue(true), "true", false};
  }
  for (const std::string_view no : {"0", "false", "off"}) {
    if (model::equal_in_any_case(text, no)) return WrittenValue{RawValue(false), "false", false};
  }
  return tl::unexpected(fmt::format("'{}' is no bit; write 0 or 1", text.substr(0, 40)));
}

}  // namespace

tl::expected<WrittenValue, std::string> value_to_write(std::string_view text, const ValueForm& form,
                                                       bool beyond_range) {
  if (form.type.kind == TypeKind::boolean) return truth(text);
  if (form.type.kind == TypeKind::text) {
    WrittenValue out{RawValue(std::string(text)), std::string(text), false};
    const auto words = encode_value(out.raw, form.type, model::WordOrder::abcd);
    if (!words) return tl::unexpected(words.error());
    return out;
  }
  if (text.starts_with('+')) text.remove_prefix(1);
  const auto value = number_in<double>(text);
  if (!value || !std::isfinite(*value)) {
    return tl::unexpected(
        fmt::format("'{}' is no number; write e.g. 12.5", std::string(text.substr(0, 40))));
  }
  if (form.factor == 0) return tl::unexpected(std::string("a factor of 0 leaves nothing to write"));
  const bool in_range = (!form.min || *value >= *form.min) && (!form.max || *value <= *form.max);
  if (!in_range && !beyond_range) {
    return tl::unexpected(
        fmt::format("{} is outside {} to {}, the range that the map states", text,
                    form.min ? fmt::format("{:g}", *form.min) : std::string("any"),
                    form.max ? fmt::format("{:g}", *form.max) : std::string("any")));
  }
  const auto whole = whole_of(form.type.kind);
  auto raw = whole ? whole_raw(text, *value, form, *whole) : real_raw(text, *value, form);
  if (!raw) return tl::unexpected(raw.error());
  WrittenValue out{std::move(*raw), {}, false};
  out.text = engineering_digits(out.raw, form.type, form.factor, form.offset);
  out.rounded = !same_number(text, out.text);
  return out;
}

}  // namespace greymet::modbus
