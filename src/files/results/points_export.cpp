#include "files/points_export.h"

#include <cmath>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "files/csv_text.h"
#include "files/json_text.h"
#include "model/duration_text.h"
#include "model/resolved_plan.h"

namespace greymet::files {

using Json = nlohmann::ordered_json;
using model::PointRow;

namespace {

// Every column once, for both formats.
Json row_json(const model::ResolvedPlan& plan, const PointRow& row,
              const std::optional<model::Duration>& age) {
  const auto word = [](const std::optional<model::WordOrder>& order) {
    return order ? Json(to_string(*order)) : Json(nullptr);
  };
  const auto number = [](const std::optional<double>& value) {
    return value ? Json(*value) : Json(nullptr);
  };
  Json tag = nullptr;
  Json tag_type = nullptr;
  Json tag_order = nullptr;
  if (row.tag) {
    const model::ResolvedTag& resolved = plan.tags[*row.tag];
    const model::Tag& declared = plan.declared(resolved);
    tag = declared.name;
    tag_type = to_text(declared.type);
    const auto order = plan.order_of(resolved);
    if (order && is_multi_register(declared.type.type)) tag_order = to_string(*order);
  }
  Json function = nullptr;
  Json every = nullptr;
  Json by = nullptr;
  if (row.transaction) {
    const model::ResolvedTransaction& t = plan.transactions[*row.transaction];
    by = plan.declared(t).name;
    if (t.function) function = number_of(*t.function);
    if (t.trigger && t.trigger->kind == model::TriggerKind::cyclic) {
      every = model::to_ms(t.trigger->period);
    }
  } else if (row.copy) {
    by = fmt::format("copy {}", plan.copies[*row.copy].declared + 1);
  }
  const bool long_value = is_multi_register(row.type.type);
  return {{"where", row.where},
          {"direction", row.is_read ? "from" : "to"},
          {"controller", plan.plan.controllers[row.controller].name},
          {"memory", plan.layouts[row.controller].name_of(row.memory)},
          {"words", (row.memory.end - row.memory.first) / model::bits_per_word},
          {"tag", std::move(tag)},
          {"tag_type", std::move(tag_type)},
          {"tag_word_order", std::move(tag_order)},
          {"by", std::move(by)},
          {"function", std::move(function)},
          {"area", row.area ? Json(short_name(*row.area)) : Json(nullptr)},
          {"offset", row.offset ? Json(*row.offset) : Json(nullptr)},
          {"type", row.area ? to_text(row.type.type) : to_text(row.type)},
          {"word_order", long_value ? word(row.order) : Json(nullptr)},
          {"swap", word(row.swap)},
          {"factor", number(row.factor)},
          {"offset_value", number(row.offset_value)},
          {"unit", row.unit},
          {"every_ms", std::move(every)},
          {"age_bound_ms", age ? Json(model::to_ms(*age)) : Json(nullptr)},
          {"used_by", row.used_by}};
}

std::string cell_of(const Json& value) {
  if (value.is_null()) return {};
  if (value.is_string()) return value.get<std::string>();
  if (value.is_array()) {
    std::string text;
    for (const Json& item : value) {
      if (!text.empty()) text += "; ";
      text += item.get<std::string>();
    }
    return text;
  }
  return value.is_number_float() ? fmt::format("{}", value.get<double>()) : value.dump();
}

}  // namespace

std::string points_json(const model::ResolvedPlan& resolved, const AgedPoints& points) {
  // row by row: a tree of all would take many times the text
  std::string text = "[";
  for (std::size_t i = 0; i < points.list.rows.size(); ++i) {
    text += i == 0 ? "\n" : ",\n";
    const std::string row = dump(row_json(resolved, points.list.rows[i], points.ages[i]));
    for (std::size_t at = 0; at < row.size();) {
      const std::size_t end = row.find('\n', at);
      text.append("  ").append(row, at, end - at);
      at = end + 1;
      if (at < row.size()) text += '\n';
    }
  }
  return text + (points.list.rows.empty() ? "]\n" : "\n]\n");
}

std::string points_csv(const model::ResolvedPlan& resolved, const AgedPoints& points) {
  CsvWriter out;
  out.row({"where",    "direction",      "controller", "memory",   "words",        "tag",
           "tag_type", "tag_word_order", "by",         "function", "area",         "offset",
           "type",     "word_order",     "swap",       "factor",   "offset_value", "unit",
           "every_ms", "age_bound_ms",   "used_by"});
  for (std::size_t i = 0; i < points.list.rows.size(); ++i) {
    std::vector<std::string> cells;
    const Json row = row_json(resolved, points.list.rows[i], points.ages[i]);
    for (const auto& [key, value] : row.items()) {
      cells.push_back(cell_of(value));
    }
    out.row(cells);
  }
  return out.take();
}

std::string tags_csv(const std::vector<model::DraftedTag>& tags) {
  CsvWriter out;
  out.row({"tag", "address", "type", "word_order", "factor", "offset", "unit", "from", "to",
           "max_age", "note"});
  const auto number = [](const std::optional<double>& value) {
    return value ? fmt::format("{}", *value) : std::string();
  };
  for (const model::DraftedTag& tag : tags) {
    out.row({tag.name, tag.address, to_text(tag.type),
             tag.word_order ? std::string(to_string(*tag.word_order)) : "", number(tag.factor),
             number(tag.offset), tag.unit, tag.from, tag.to, "", tag.note});
  }
  return out.take();
}

}  // namespace greymet::files
