#include "engine/expected_values.h"

#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "modbus/value_readings.h"

namespace greymet::engine {

namespace {

bool is_real_type(model::TypeKind kind) {
  return kind == model::TypeKind::f32 || kind == model::TypeKind::f64;
}

FoundValue plain_value(const ControllerMemory& memory, const Expectation& e) {
  FoundValue out;
  double number = e.memory->count == 1 ? (memory.bit(e.memory->store, e.memory->first) ? 1.0 : 0.0)
                                       : static_cast<double>(memory.registers(*e.memory, 1)[0]);
  // a negative word is meant as a signed one
  constexpr double words = 65536;
  if (e.value && *e.value < 0 && number >= words / 2) number -= words;
  out.number = number;
  out.text = fmt::format("{}", number);
  out.digits = out.text;
  return out;
}

}  // namespace

FoundValue found_value(const modbus::RawValue& raw, const model::Point& point) {
  FoundValue out;
  if (const auto whole = modbus::whole_number(raw)) out.name = name_of_value(point, *whole);
  out.is_real = is_real_type(point.type.kind);
  if (const auto* truth = std::get_if<bool>(&raw)) {
    out.number = *truth ? 1.0 : 0.0;
    out.digits = *truth ? "1" : "0";
    out.text = modbus::to_text(raw, point.type);
    return out;
  }
  out.number = modbus::engineering_value(raw, point);
  if (!out.number) {
    out.text = modbus::to_text(raw, point.type);
    return out;
  }
  if (std::isfinite(*out.number)) {
    out.digits = modbus::engineering_digits(raw, point.type, point.factor, point.offset);
  }
  constexpr std::int64_t most_decimals = 9;
  constexpr int carried = 7;  // by a 32-bit float
  if (point.decimals) {
    out.text = fmt::format("{:.{}f}", *out.number,
                           static_cast<int>(std::min(*point.decimals, most_decimals)));
  } else if (!out.digits.empty() && point.type.kind != model::TypeKind::f32) {
    out.text = out.digits;
  } else {
    out.text = fmt::format("{:.{}g}", *out.number, carried);
  }
  return out;
}

std::optional<FoundValue> value_in(const std::vector<std::uint16_t>& words,
                                   const model::Point& point, model::WordOrder order) {
  if (words.empty()) return std::nullopt;
  if (model::is_bit_area(point.address.area))
    return found_value(modbus::RawValue(words[0] != 0), point);
  const auto raw = modbus::decode_value(words, point.type, order, point.bit.value_or(0));
  return raw ? std::optional(found_value(*raw, point)) : std::nullopt;
}

std::optional<FoundValue> found_in(const ControllerMemory& memory, const Expectation& expected) {
  if (!expected.memory || !memory.known(*expected.memory)) return std::nullopt;
  if (!expected.as) return plain_value(memory, expected);
  const model::Point& as = *expected.as;
  const std::size_t count = expected.memory->count / model::bits_per_word;
  return value_in(memory.registers(*expected.memory, count), as,
                  as.word_order.value_or(model::WordOrder::abcd));
}

bool is_as_expected(const Expectation& expected, const FoundValue& found) {
  if (expected.text) return found.text == *expected.text;
  if (!found.number || !expected.value) return false;
  const double off = std::abs(*found.number - *expected.value);
  if (expected.tolerance == 0) {
    // to the digit; a REAL as near as its 24 bits can tell
    if (!found.digits.empty() && !expected.digits.empty()) {
      if (modbus::same_number(expected.digits, found.digits)) return true;
    } else if (off == 0) {
      return true;
    }
    return found.is_real &&
           static_cast<float>(*found.number) == static_cast<float>(*expected.value);
  }
  constexpr double noise = 1e-12;  // of arithmetic on doubles
  return off <= expected.tolerance + noise * std::abs(*expected.value);
}

void ExpectedValues::look(Duration now, const Look& look) {
  for (std::size_t i = 0; i < expected_.size(); ++i) {
    const auto value = look(expected_[i]);
    states_[i].now = false;
    if (value) found(i, now, *value);
  }
}

void ExpectedValues::found(std::size_t index, Duration now, const FoundValue& value) {
  State& state = states_[index];
  state.found = value.text;
  state.now = is_as_expected(expected_[index], value);
  if (state.now && !state.met) state.met = now;
}

std::vector<ExpectationResult> ExpectedValues::results(bool ended) const {
  std::vector<ExpectationResult> out;
  out.reserve(expected_.size());
  for (std::size_t i = 0; i < expected_.size(); ++i) {
    const State& state = states_[i];
    ExpectationResult result;
    result.found = state.found;
    result.met = state.met;
    const auto& within = expected_[i].within;
    result.good = within ? state.met && *state.met <= *within : ended && state.now;
    out.push_back(std::move(result));
  }
  return out;
}

}  // namespace greymet::engine
