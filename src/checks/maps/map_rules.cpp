// Family R: register maps against themselves, and D01. What slaves make of their maps is in
// map_use_rules.cpp.
#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "checks/rules.h"
#include "common/rule_text.h"
#include "model/nearest_name.h"
#include "model/resolved_plan.h"

namespace greymet::checks {

using model::PointCell;

namespace {

// What a raw value of the type can be.
struct RawRange {
  double least = 0;
  double most = 0;
  [[nodiscard]] double span() const { return most - least; }
  // half a step: what a value is rounded to still fits
  [[nodiscard]] bool holds(const RawRange& r) const {
    return r.least >= least - 0.5 && r.most <= most + 0.5;
  }
};

std::optional<RawRange> raw_range_of(TypeKind kind) {
  constexpr double two = 2;
  const auto unsigned_bits = [](int bits) { return RawRange{0, std::pow(two, bits) - 1}; };
  const auto signed_bits = [](int bits) {
    return RawRange{-std::pow(two, bits - 1), std::pow(two, bits - 1) - 1};
  };
  switch (kind) {
    case TypeKind::u16: return unsigned_bits(16);
    case TypeKind::i16: return signed_bits(16);
    case TypeKind::u32: return unsigned_bits(32);
    case TypeKind::i32: return signed_bits(32);
    case TypeKind::u64: return unsigned_bits(64);
    case TypeKind::i64: return signed_bits(64);
    case TypeKind::bcd16: return RawRange{0, 9999};
    case TypeKind::bcd32: return RawRange{0, 99'999'999};
    case TypeKind::boolean: return RawRange{0, 1};
    case TypeKind::f32:
    case TypeKind::f64:
    case TypeKind::text:
    case TypeKind::bits: return std::nullopt;
  }
  return std::nullopt;
}

// The smallest usual type of a kind's family that holds the raw values, for remedies.
std::string_view type_that_holds(const RawRange& raw) {
  if (raw.least >= 0) return raw.most <= 65535 ? "u16" : raw.most <= 4294967295.0 ? "u32" : "f64";
  if (raw.least >= -32768 && raw.most <= 32767) return "i16";
  return raw.least >= -2147483648.0 && raw.most <= 2147483647.0 ? "i32" : "f64";
}

// The raw values of an engineering range; one end stands for both where only one is known.
RawRange raw_of(const Point& p, double least, double most, double factor) {
  RawRange raw{(least - p.offset) / factor, (most - p.offset) / factor};
  if (raw.least > raw.most) std::swap(raw.least, raw.most);
  return raw;
}

// "9000 m3/h"
std::string with_unit(const Point& p, double value) {
  return p.unit.empty() ? fmt::format("{}", value) : fmt::format("{} {}", value, p.unit);
}

// The ranges and factors of one map's points.
class RangeRules {
 public:
  RangeRules(const RegisterMap& map, Findings& out) : map_(map), out_(out) {}

  void check() {
    // under a misspelt heading none of them means what it says
    for (const std::string_view column : {"factor", "offset", "min", "max", "type"}) {
      if (map_.misreads(column)) return;
    }
    for (const Point& p : map_.points()) check_point(p);
  }

 private:
  void check_point(const Point& p) {
    if (p.factor == 0) {
      say(p, RuleCode::R03, Severity::error, PointCell::factor,
          "factor 0 makes every value the same", "write what one raw step is worth, e.g. 0.1");
      return;
    }
    if (check_thousands(p)) return;
    if (p.min && p.max && *p.min > *p.max) {
      report_swapped(p);
      return;
    }
    const auto type = raw_range_of(p.type.kind);
    if (!type || (!p.min && !p.max)) return;
    const double least = p.min.value_or(p.max.value_or(0));
    const double most = p.max.value_or(p.min.value_or(0));
    const RawRange raw = raw_of(p, least, most, p.factor);
    if (check_upside_down(p, *type, raw, least, most)) return;
    if (type->holds(raw)) return;
    if (check_beyond(p, *type, raw, least)) return;
    report_overshoot(p, *type, raw);
  }

  void say(const Point& p, RuleCode rule, Severity severity, PointCell cell, std::string message,
           std::string remedy) {
    report(out_, rule, severity, place_of(p, cell), {model::SubjectKind::point, p.name},
           std::move(message), std::move(remedy));
  }

  // R08: a sign for thousands that was read as a decimal point. Evidence: as it stands the value
  // is between two steps of its type, or on the wrong side of the other end, and a thousand times
  // as much is neither.
  bool check_thousands(const Point& p) {
    const auto type = raw_range_of(p.type.kind);
    if (!type) return false;
    for (const PointCell cell : {PointCell::max, PointCell::min}) {
      const bool is_max = cell == PointCell::max;
      const auto& value = is_max ? p.max : p.min;
      const auto& other = is_max ? p.min : p.max;
      if (!value || !spot_of(p, cell).like_thousands) continue;
      const double meant = std::round(*value * 1000);
      const auto on_step = [&](double v) {
        const double raw = (v - p.offset) / p.factor;
        return std::abs(raw - std::round(raw)) < 1e-6 * std::max(1.0, std::abs(raw));
      };
      const auto fits = [&](double v) {
        const double raw = (v - p.offset) / p.factor;
        return on_step(v) && type->holds({raw, raw}) &&
               (!other || (is_max ? *other <= v : v <= *other));
      };
      const bool in_order = !other || (is_max ? *other < *value : *value < *other);
      if ((in_order && on_step(*value)) || !fits(meant)) continue;
      say(p, RuleCode::R08, Severity::warning, cell,
          fmt::format("{} {} {}, but written like {} with a sign for thousands",
                      is_max ? "max" : "min", *value,
                      in_order ? fmt::format("is no whole number of steps of {}", p.factor)
                               : fmt::format("is on the wrong side of {} {}",
                                             is_max ? "min" : "max", *other),
                      meant),
          {});
      add_fix(out_.back(),
              model::write_instead(place_of(p, cell), fmt::format("{}", meant), false));
      return true;
    }
    return false;
  }

  // R03, least above most. The cure exchanges the two.
  void report_swapped(const Point& p) {
    say(p, RuleCode::R03, Severity::error, PointCell::min,
        fmt::format("min {} is above max {}", *p.min, *p.max), {});
    const model::Range min = place_of(p, PointCell::min);
    const model::Range max = place_of(p, PointCell::max);
    add_fix(out_.back(),
            {fmt::format("write min {} and max {}, if they were exchanged", *p.max, *p.min),
             {{min, fmt::format("{}", *p.max)}, {max, fmt::format("{}", *p.min)}},
             false});
  }

  // R04
  bool check_upside_down(const Point& p, const RawRange& type, const RawRange& raw, double least,
                         double most) {
    if (p.factor == 1 || p.factor == -1 || !p.min || !p.max || *p.min == *p.max) return false;
    // of what the type can tell apart; what overflows has other explanations too
    constexpr double hardly_used = 0.01;
    constexpr double well_used = 0.1;
    const bool overflows = !type.holds(raw);
    if (!overflows && raw.span() >= hardly_used * type.span()) return false;
    const double other = 1 / p.factor;
    const RawRange turned = raw_of(p, least, most, other);
    const double enough = (overflows ? well_used : hardly_used) * type.span();
    if (!type.holds(turned) || turned.span() < enough) return false;
    say(p, RuleCode::R04, Severity::warning, PointCell::factor,
        fmt::format("factor {} looks upside down: {} to {} are raw {:.0f} to {:.0f}, which {} {}; "
                    "with {} they are {:.0f} to {:.0f}",
                    p.factor, least, with_unit(p, most), raw.least, raw.most, to_text(p.type),
                    overflows ? "does not hold" : "hardly uses", shortest(other), turned.least,
                    turned.most),
        {});
    add_fix(out_.back(),
            model::write_instead(place_of(p, PointCell::factor), shortest(other), false));
    return true;
  }

  // 1 / 0.1 as "10"
  static std::string shortest(double value) {
    const double rounded = std::round(value);
    if (rounded != 0 && std::abs(value - rounded) < 1e-9 * std::abs(rounded)) {
      return fmt::format("{:.0f}", rounded);
    }
    return fmt::format("{:.9g}", value);
  }

  // R03, nothing of it, or its lower end, in the type
  bool check_beyond(const Point& p, const RawRange& type, const RawRange& raw, double least) {
    const bool low_end = p.factor > 0;
    const bool starts = low_end ? p.min.has_value() : p.max.has_value();  // where it does is known
    const bool ends = low_end ? p.max.has_value() : p.min.has_value();
    const bool nothing =
        (starts && raw.least > type.most + 0.5) || (ends && raw.most < type.least - 0.5);
    const bool negative = type.least == 0 && starts && raw.least < -0.5;
    if (!nothing && !negative) return false;
    say(p, RuleCode::R03, Severity::error, p.min ? PointCell::min : PointCell::max,
        negative ? fmt::format("{} is raw {:.0f}, and {} knows no negative values",
                               with_unit(p, low_end ? least : p.max.value_or(least)), raw.least,
                               to_text(p.type))
                 : fmt::format("the range is raw {:.0f} to {:.0f}, and {} holds {:.0f} to {:.0f}",
                               raw.least, raw.most, to_text(p.type), type.least, type.most),
        fmt::format("look up type, factor and offset again; this range needs {}",
                    type_that_holds(raw)));
    return true;
  }

  // D01
  void report_overshoot(const Point& p, const RawRange& type, const RawRange& raw) {
    double from = type.least * p.factor + p.offset;
    double to = type.most * p.factor + p.offset;
    if (from > to) std::swap(from, to);
    const bool above = raw.most > type.most + 0.5;
    const double edge = above == (p.factor > 0) ? p.max.value_or(*p.min) : p.min.value_or(*p.max);
    report(out_, RuleCode::D01, Severity::warning, p.place, {model::SubjectKind::point, p.name},
           fmt::format("{} does not fit: {} with factor {} reaches from {} to {}",
                       with_unit(p, edge), to_text(p.type), p.factor, from, to),
           fmt::format("look up type and factor again; with this factor the range needs {}",
                       type_that_holds(raw)));
  }

  const RegisterMap& map_;
  Findings& out_;
};

// R01 and R02: points on the same registers or bits.
class OverlapRules {
 public:
  OverlapRules(const RegisterMap& map, Findings& out) : map_(map), out_(out) {}

  void check() {
    std::map<model::Area, std::vector<const Point*>> values;
    std::map<std::tuple<model::Area, std::uint32_t, std::uint32_t>, const Point*> bits;
    const Point* first_without = nullptr;
    std::size_t without = 0;
    const bool bit_column_misread = map_.misreads("bit");
    for (const Point& p : map_.points()) {
      const bool in_register = !model::is_bit_area(p.address.area);
      if (p.type.kind != TypeKind::boolean || !in_register) {
        values[p.address.area].push_back(&p);
        continue;
      }
      if (!p.bit) {
        if (first_without == nullptr) first_without = &p;
        ++without;
        continue;
      }
      const auto [at, is_new] =
          bits.try_emplace({p.address.area, p.address.offset.value, *p.bit}, &p);
      if (!is_new) {
        say(p, RuleCode::R02, Severity::warning, PointCell::bit,
            fmt::format("bit {} of {} is also '{}'", *p.bit, place_text(p), at->second->name),
            "give each its own bit, or leave one out", *at->second);
      }
    }
    if (first_without != nullptr && !bit_column_misread) report_no_bit(*first_without, without);
    for (auto& [area, points] : values) check_area(points);
  }

 private:
  static std::string place_text(const Point& p) {
    return fmt::format("{}:{}", short_name(p.address.area), p.address.offset.value);
  }

  void say(const Point& p, RuleCode rule, Severity severity, PointCell cell, std::string message,
           std::string remedy, const Point& other) {
    report(out_, rule, severity, place_of(p, cell), {model::SubjectKind::point, p.name},
           std::move(message), std::move(remedy), {{other.place, "the other one is here"}});
  }

  // R02, gathered: rows without bits come from one table that has none
  void report_no_bit(const Point& p, std::size_t count) {
    const std::string more = count > 1 ? fmt::format(" (and {} more)", count - 1) : std::string();
    report(out_, RuleCode::R02, Severity::error, p.place, {model::SubjectKind::point, p.name},
           fmt::format("is a bool in register {}, and nothing says which of its 16 bits{}",
                       place_text(p), more),
           "write the number in column `bit`, 0 = least significant; or type bits for the whole "
           "register");
  }

  void check_area(std::vector<const Point*>& points) {
    std::stable_sort(points.begin(), points.end(), [](const Point* a, const Point* b) {
      return a->address.offset < b->address.offset;
    });
    const Point* furthest = nullptr;
    const Point* last_said = nullptr;  // of a run of overlaps: one cause
    std::size_t said_at = 0;
    std::size_t more = 0;
    const auto finish = [&] {
      if (more > 0) out_[said_at].message += fmt::format(" (and {} more behind it)", more);
      more = 0;
    };
    for (const Point* p : points) {
      const bool overlaps = furthest != nullptr && extent_of(*furthest).end > extent_of(*p).first &&
                            !one_register_twice(*furthest, *p);
      if (overlaps && last_said == furthest) {
        ++more;
        last_said = p;
      } else if (overlaps) {
        finish();
        said_at = out_.size();
        report_overlap(*furthest, *p);
        last_said = p;
      }
      if (furthest == nullptr || extent_of(*p).end >= extent_of(*furthest).end) furthest = p;
    }
    finish();
  }

  // A status word listed as a number and as bits, or with a field of it.
  static bool one_register_twice(const Point& a, const Point& b) {
    const bool bits = a.type.kind == TypeKind::bits || b.type.kind == TypeKind::bits;
    return bits && extent_of(a) == extent_of(b);
  }

  void report_overlap(const Point& a, const Point& b) {
    const Point& late = a.place < b.place ? b : a;
    const Point& early = a.place < b.place ? a : b;
    if (model::is_bit_area(a.address.area)) {
      say(late, RuleCode::R02, Severity::warning, PointCell::address,
          fmt::format("{} is also '{}'", place_text(late), early.name),
          "give each its own address, or leave one out", early);
      return;
    }
    const Extent x = extent_of(a);
    const Extent y = extent_of(b);
    const Extent both{std::max(x.first, y.first), std::min(x.end, y.end)};
    say(late, RuleCode::R01, Severity::warning, PointCell::address,
        fmt::format("takes {} as well as '{}' ({}, {})", range_text(a.address.area, both),
                    early.name, to_text(early.type), range_text(a.address.area, extent_of(early))),
        "look up both addresses and types again", early);
  }

  const RegisterMap& map_;
  Findings& out_;
};

}  // namespace

void check_maps(const RuleInput& in, Findings& out) {
  std::set<std::uint32_t> said;  // a file that is read for two ways of counting is one
  for (const RegisterMap& map : in.plan.plan.maps) {
    if (map.points().empty() || !said.insert(map.points().front().place.file).second) continue;
    RangeRules(map, out).check();
    OverlapRules(map, out).check();
  }
}

}  // namespace greymet::checks
