#include "tag_fit.h"

#include <algorithm>
#include <cmath>
#include <vector>

#include <fmt/format.h>

#include "common/words.h"
#include "model/text_slips.h"

namespace greymet::checks::internal {

namespace {

bool is_unsigned(TypeKind kind) {
  return kind == TypeKind::u16 || kind == TypeKind::u32 || kind == TypeKind::u64;
}
bool is_signed(TypeKind kind) {
  return kind == TypeKind::i16 || kind == TypeKind::i32 || kind == TypeKind::i64;
}

bool about_equal(double a, double b) {
  return std::abs(a - b) <= 1e-9 * std::max(std::abs(a), std::abs(b));
}

// "degC" and "°C", "m3" and "m³" are one unit.
std::string plain_unit(const std::string& unit) {
  std::string text;
  for (std::size_t i = 0; i < unit.size(); ++i) {
    const std::string_view rest = std::string_view(unit).substr(i);
    if (rest.starts_with("deg")) {
      text += "°";
      i += 2;
    } else if (rest.starts_with("³")) {
      text += '3';
      i += 1;
    } else if (rest.starts_with("²")) {
      text += '2';
      i += 1;
    } else if (rest.front() != ' ' && rest.front() != '^') {
      text += rest.front();
    }
  }
  return text;
}

// Whether the first byte of a character pair comes second.
bool swaps_bytes(WordOrder order) {
  return order == WordOrder::badc || order == WordOrder::dcba;
}

}  // namespace

ValueEnd end_of_point(const model::ResolvedPlan& plan, std::size_t slave,
                      const model::Point& point) {
  ValueEnd end;
  end.type = tag_type_of(point.type);
  end.order = plan.order_of(slave, point);
  end.factor = point.factor;
  end.offset = point.offset;
  end.unit = point.unit;
  if (point.min && point.max && point.factor != 0) {
    const double a = (*point.min - point.offset) / point.factor;
    const double b = (*point.max - point.offset) / point.factor;
    end.raw_min = std::min(a, b);
    end.raw_max = std::max(a, b);
  }
  return end;
}

ValueEnd end_of_tag(const model::ResolvedPlan& plan, const model::ResolvedTag& tag) {
  const model::Tag& declared = plan.declared(tag);
  ValueEnd end;
  end.type = declared.type;
  end.order = plan.order_of(tag);
  end.factor = declared.factor;
  end.offset = declared.offset;
  end.unit = declared.unit;
  return end;
}

ValueEnd end_of(const model::ResolvedPlan& plan, const model::TagEnd& end) {
  if (end.is_tag) return end_of_tag(plan, plan.tags[end.owner]);
  return end_of_point(plan, end.owner, plan.point_of(end));
}

TypeFit fit_of(const ValueEnd& value, model::TagType taken_for) {
  const model::TagType& is = value.type;
  const TypeKind a = is.type.kind;
  const TypeKind b = taken_for.type.kind;
  const bool a_bool = a == TypeKind::boolean;
  const bool b_bool = b == TypeKind::boolean;
  if (a_bool || b_bool) return a_bool && b_bool ? TypeFit::fits : TypeFit::wrong;
  if (registers_of(is.type) != registers_of(taken_for.type)) return TypeFit::wrong;
  if (is.raw || taken_for.raw || a == b) return TypeFit::fits;
  const bool to_signed = is_unsigned(a) && is_signed(b);
  const bool to_unsigned = is_signed(a) && is_unsigned(b);
  if (!to_signed && !to_unsigned) return TypeFit::wrong;
  if (!value.raw_min || !value.raw_max) return TypeFit::perhaps;
  const double bits = 16.0 * registers_of(is.type);
  const bool stays = to_unsigned ? *value.raw_min >= 0 : *value.raw_max < std::exp2(bits - 1);
  return stays ? TypeFit::fits : TypeFit::wrong;
}

bool orders_differ(model::TagType type, WordOrder a, WordOrder b) {
  if (a == b || !is_multi_register(type.type)) return false;
  if (type.type.kind == TypeKind::text) return swaps_bytes(a) != swaps_bytes(b);
  return true;
}

std::string scale_difference(const ValueEnd& value, const ValueEnd& tag) {
  std::vector<std::string> parts;
  const auto compare = [&](std::string_view what, const std::optional<double>& a,
                           const std::optional<double>& b) {
    if (a && b && !about_equal(*a, *b))
      parts.push_back(fmt::format("{} {} against {}", what, *a, *b));
  };
  compare("factor", value.factor, tag.factor);
  compare("offset", value.offset, tag.offset);
  if (!value.unit.empty() && !tag.unit.empty() && plain_unit(value.unit) != plain_unit(tag.unit)) {
    parts.push_back(fmt::format("{} against {}", value.unit, tag.unit));
  }
  return fmt::format("{}", fmt::join(parts, ", "));
}

}  // namespace greymet::checks::internal
