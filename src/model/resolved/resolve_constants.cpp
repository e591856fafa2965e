// `value` of a transaction: which registers or bits it means, and as what they are written.
#include <algorithm>

#include <fmt/format.h>

#include "model/nearest_name.h"
#include "resolve_internal.h"

namespace greymet::model::internal {

namespace {

SentConstant constant_of(const Point& point, const DeviceBlock& block, const ConstantText& text) {
  const Extent extent = extent_of(point);
  SentConstant out;
  out.first = extent.first - block.offset;
  out.count = extent.end - extent.first;
  out.type = point.type;
  out.bit = point.bit;
  out.factor = point.factor;
  out.offset = point.offset;
  out.min = point.min;
  out.max = point.max;
  out.point = point.name;
  out.text = text.value.value;
  out.place = text.value.place;
  return out;
}

bool is_inside(const Point& point, const DeviceBlock& block) {
  const Extent extent = extent_of(point);
  return point.address.area == block.area && extent.first >= block.offset &&
         extent.end <= block.extent().end;
}

// The one point that is all of the block, or null.
const Point* point_of_all(const RegisterMap* map, const DeviceBlock& block) {
  if (map == nullptr) return nullptr;
  const Point* found = nullptr;
  for (const Point* point : map->points_touching(block.area, block.extent())) {
    const Extent extent = extent_of(*point);
    const bool all = extent.first == block.offset && extent.end == block.extent().end;
    if (!all || point->bit || found != nullptr) return nullptr;
    found = point;
  }
  return found;
}

class Constants {
 public:
  Constants(const ResolvedPlan& resolved, ResolvedTransaction& t, Reporter& report)
      : resolved_(resolved), t_(t), report_(report), map_(resolved.map_of(*t.target)) {}

  void add(const ConstantText& text) {
    if (text.point.value.empty()) return add_for_all(text);
    const Point* point = map_ == nullptr ? nullptr : map_->find(text.point.value);
    if (point == nullptr || !is_inside(*point, *t_.write)) {
      if (map_ != nullptr && point == nullptr && map_->may_hide(text.point.value)) return;
      std::vector<std::string_view> known;
      if (map_ != nullptr) {
        for (const Point* each : map_->points_touching(t_.write->area, t_.write->extent())) {
          if (is_inside(*each, *t_.write)) known.emplace_back(each->name);
        }
      }
      const std::string name = text.point.value.substr(0, 60);
      report_.error(RuleCode::P03, text.point.place,
                    fmt::format("`value` names '{}', which is no point that this writes{}", name,
                                nearest_or_example(name, known)),
                    "name a point of the block");
      return;
    }
    add_point(*point, text);
  }

 private:
  void add_for_all(const ConstantText& text) {
    const DeviceBlock& block = *t_.write;
    if (const Point* point = point_of_all(map_, block)) return add_point(*point, text);
    if (block.quantity != 1) {
      report_.error(RuleCode::P05, text.value.place,
                    fmt::format("one `value` for {} {}: which of them is not said", block.quantity,
                                is_bit_area(block.area) ? "bits" : "registers"),
                    "write it by points of the map: value = { speed = 33.5 }");
      return;
    }
    SentConstant out;
    const bool negative = text.value.value.starts_with('-');
    out.type.kind = is_bit_area(block.area) ? TypeKind::boolean
                    : negative              ? TypeKind::i16
                                            : TypeKind::u16;
    out.text = text.value.value;
    out.place = text.value.place;
    keep(std::move(out));
  }

  void add_point(const Point& point, const ConstantText& text) {
    SentConstant out = constant_of(point, *t_.write, text);
    if (is_multi_register(point.type)) {
      const auto order = resolved_.order_of(t_.target->index, point);
      if (!order) {
        report_.error(RuleCode::P06, text.value.place,
                      fmt::format("`value` of '{}': nobody says in which order its slave takes its "
                                  "words",
                                  point.name),
                      "add word_order to the slave or to the point");
        return;
      }
      out.order = *order;
    }
    keep(std::move(out));
  }

  void keep(SentConstant constant) { t_.constants.push_back(std::move(constant)); }

  const ResolvedPlan& resolved_;
  ResolvedTransaction& t_;
  Reporter& report_;
  const RegisterMap* map_;
};

}  // namespace

void resolve_constants(const ResolvedPlan& resolved, const Transaction& declared,
                       ResolvedTransaction& t, Reporter& report) {
  if (!t.function || !t.target) return;
  const ConstantText& first = declared.constants.front();
  if (!writes(*t.function) || *t.function == FunctionCode::mask_write_register) {
    report.error(RuleCode::P05, first.value.place,
                 fmt::format("`value` has no effect here: function {} sends no values",
                             number_of(*t.function)),
                 "remove it");
    return;
  }
  if (!t.write) return;
  Constants constants(resolved, t, report);
  for (const ConstantText& text : declared.constants) constants.add(text);
}

}  // namespace greymet::model::internal
