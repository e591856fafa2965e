#include "engine/probe_value.h"

#include <algorithm>
#include <array>
#include <charconv>
#include <chrono>
#include <cmath>
#include <tuple>

#include <fmt/format.h>

#include "modbus/value_readings.h"

namespace greymet::engine {

using model::DataType;
using model::TypeKind;

namespace {

constexpr std::array<int, 3> shifts{0, -1, 1};

// Scales that manuals leave unsaid: digits behind the point, minutes and hours.
constexpr std::array<double, 13> scales{1,    0.1, 10, 0.01,       100,  0.001,       1000,
                                        1e-4, 1e4, 60, 1.0 / 60.0, 3600, 1.0 / 3600.0};

std::optional<ProbeBlock> block_at(const ValueTarget& target, int shift) {
  const std::int64_t first = std::int64_t{target.first} + shift;
  const std::uint32_t count = is_bit_area(target.area) ? 1 : registers_of(target.type);
  if (first < 0 || first + count > model::addresses_per_area) return std::nullopt;
  return ProbeBlock{target.area, static_cast<std::uint32_t>(first), count};
}

// A number as a display shows it, and half of its last digit.
struct Shown {
  double value = 0;
  double half_digit = 0.5;
  int digits = 0;  // that say something
};
std::optional<Shown> shown_from(const std::string& text) {
  Shown out;
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), out.value);
  if (error != std::errc() || end != text.data() + text.size()) return std::nullopt;
  if (!std::isfinite(out.value)) return std::nullopt;
  const std::size_t point = text.find('.');
  const std::size_t exponent = std::min(text.find_first_of("eE"), text.size());
  const std::size_t behind = point == std::string::npos ? 0 : exponent - point - 1;
  out.half_digit = 0.5 * std::pow(10.0, -static_cast<double>(behind));
  bool leading = true;
  for (const char c : text.substr(0, exponent)) {
    leading = leading && (c < '1' || c > '9');
    if (!leading && c >= '0' && c <= '9') ++out.digits;
  }
  return out;
}

class Fitting {
 public:
  Fitting(const ValueTarget& target, const Shown& shown) : target_(target), shown_(shown) {}

  void look_at(const ShiftAnswer& asked) {
    if (!asked.answer.is_good()) return;
    for (const DataType type : types_as_wide_as(target_.type)) {
      if (type.kind == TypeKind::boolean || type.kind == TypeKind::text) continue;
      const auto readings = modbus::read_in_all_orders(
          {asked.answer.words, type, 0, target_.factor, target_.offset, {}});
      if (!readings) continue;
      for (const modbus::ValueReading& reading : *readings) {
        if (reading.engineering) look_at(asked.shift, type, reading);
      }
    }
  }

  // The nearest first; of equals what the plan says, then what changes least.
  std::vector<ValueFit> fits() {
    std::stable_sort(fits_.begin(), fits_.end(),
                     [&](const ValueFit& a, const ValueFit& b) { return rank(a) < rank(b); });
    return std::move(fits_);
  }

 private:
  void look_at(int shift, DataType type, const modbus::ValueReading& reading) {
    for (const double scale : scales) {
      const double value = *reading.engineering * scale;
      const double off = std::abs(value - shown_.value);
      const bool to_the_digit = off <= shown_.half_digit * (1 + 1e-9);
      const double part = off / std::max(std::abs(shown_.value), shown_.half_digit);
      if (!to_the_digit && (scale != 1 || part > modbus::plausible_deviation)) continue;
      ValueFit fit{shift, type, reading.order, scale, value, to_the_digit ? 0 : part, {}};
      // the same bits under another name of a type are the same reading
      const auto same = std::find_if(fits_.begin(), fits_.end(), [&](const ValueFit& other) {
        return other.shift == shift && other.order == fit.order && other.scale == scale &&
               other.value == value;
      });
      if (same != fits_.end()) {
        same->also.push_back(type);
      } else {
        fits_.push_back(std::move(fit));
      }
    }
  }

  [[nodiscard]] std::tuple<bool, double, bool, bool, bool> rank(const ValueFit& fit) const {
    return {fit.scale != 1, fit.deviation, fit.type != target_.type, fit.order != target_.order,
            fit.shift != 0};
  }

  const ValueTarget& target_;
  Shown shown_;
  std::vector<ValueFit> fits_;
};

// The register that holds the most significant word, relative to where the plan looks.
int leading_register(const ValueFit& fit) {
  const bool last = fit.order == model::WordOrder::cdab || fit.order == model::WordOrder::dcba;
  return fit.shift + (last ? static_cast<int>(registers_of(fit.type)) - 1 : 0);
}
bool swaps_bytes(const ValueFit& fit) {
  return fit.order == model::WordOrder::badc || fit.order == model::WordOrder::dcba;
}

// A reading with the same leading word and another one behind it is always near: by 1/128 of a
// real number. It is out where enough digits are shown, and the other one has them all.
bool is_shadow(const ValueFit& best, const ValueFit& other, const Shown& shown) {
  constexpr int telling_digits = 4;
  constexpr double half_digits = 5;
  return registers_of(best.type) > 1 && best.type == other.type &&
         leading_register(best) == leading_register(other) &&
         swaps_bytes(best) == swaps_bytes(other) && best.deviation == 0 &&
         shown.digits >= telling_digits &&
         std::abs(other.value - shown.value) >= half_digits * shown.half_digit;
}

// The value stands still while one looks, so that the shown digits are those of now: the best fit
// keeps them, and no shadow changes a bit. It is the shadow that could be the value, moving.
bool stands_still(PoliteDevice& device, const Shown& shown, const ValueTarget& target,
                  const ValueProbe& probe, const std::vector<int>& shadows) {
  constexpr int looks = 2;
  constexpr auto between = std::chrono::milliseconds(300);
  const ValueFit& best = probe.fits.front();
  for (int look = 0; look < looks; ++look) {
    device.wait(between);
    for (const ShiftAnswer& asked : probe.asked) {
      const bool is_best = asked.shift == best.shift;
      if (!is_best && std::find(shadows.begin(), shadows.end(), asked.shift) == shadows.end())
        continue;
      const ProbeAnswer answer = device.ask_again(asked.block);
      if (!answer.is_good()) return false;
      if (answer.words == asked.answer.words) continue;
      if (!is_best) return false;
      const auto readings = modbus::read_in_all_orders(
          {answer.words, best.type, 0, target.factor, target.offset, {}});
      const bool same =
          readings && std::any_of(readings->begin(), readings->end(), [&](const auto& reading) {
            return reading.order == best.order && reading.engineering &&
                   std::abs(*reading.engineering - shown.value) <= 2 * shown.half_digit;
          });
      if (!same) return false;
    }
  }
  return true;
}

// Whether the first fit stands alone.
void judge(PoliteDevice& device, const ValueTarget& target, const Shown& shown, ValueProbe& probe) {
  if (probe.fits.empty()) {
    const bool any = std::any_of(probe.asked.begin(), probe.asked.end(),
                                 [](const ShiftAnswer& a) { return a.answer.is_good(); });
    probe.why_not = any ? "no type, order or usual scale of these registers gives what is shown"
                        : "none of these registers answers";
    return;
  }
  const ValueFit& best = probe.fits.front();
  std::size_t of_its_kind = 0;
  std::vector<int> shadows;  // their shifts
  for (const ValueFit& fit : probe.fits) {
    if ((fit.scale == 1) != (best.scale == 1)) continue;
    if (&fit != &best && best.scale == 1 && is_shadow(best, fit, shown)) {
      shadows.push_back(fit.shift);
    } else {
      ++of_its_kind;
    }
  }
  if (of_its_kind == 1 && !shadows.empty() &&
      !stands_still(device, shown, target, probe, shadows)) {
    of_its_kind += shadows.size();
  }
  if (of_its_kind > 1) {
    probe.why_not = fmt::format(
        "{} readings come near to it: look again when the value is another one", of_its_kind);
    return;
  }
  const bool as_planned = best.shift == 0 && best.type == target.type &&
                          (best.order == target.order || registers_of(target.type) == 1);
  constexpr int telling_digits = 3;  // fewer fit by chance
  if (best.scale != 1 && (!as_planned || shown.digits < telling_digits)) {
    probe.why_not =
        "it fits with a scale that nobody states: look again when the value is another one";
    return;
  }
  if (shown.value == 0) {
    probe.why_not =
        "0 is what unused registers show, too: look again when the value is another one";
    return;
  }
  probe.settled = true;
}

}  // namespace

std::vector<DataType> types_as_wide_as(DataType type) {
  std::vector<DataType> out{type};
  for (const TypeKind kind :
       {TypeKind::f32, TypeKind::u16, TypeKind::i16, TypeKind::u32, TypeKind::i32, TypeKind::f64,
        TypeKind::u64, TypeKind::i64, TypeKind::bcd16, TypeKind::bcd32}) {
    const DataType other{kind, 0};
    if (other != type && registers_of(other) == registers_of(type)) out.push_back(other);
  }
  return out;
}

std::vector<ProbeBlock> value_blocks(const ValueTarget& target) {
  std::vector<ProbeBlock> out;
  for (const int shift : shifts) {
    if (const auto block = block_at(target, shift)) out.push_back(*block);
  }
  return out;
}

ValueProbe probe_value(PoliteDevice& device, const ValueTarget& target,
                       const std::optional<std::string>& near) {
  ValueProbe out;
  for (const int shift : shifts) {
    const auto block = block_at(target, shift);
    if (block) out.asked.push_back({shift, *block, device.ask(*block)});
  }
  const auto shown = near ? shown_from(*near) : std::nullopt;
  if (!shown) return out;
  Fitting fitting(target, *shown);
  for (const ShiftAnswer& asked : out.asked) fitting.look_at(asked);
  out.fits = fitting.fits();
  judge(device, target, *shown, out);
  return out;
}

}  // namespace greymet::engine
