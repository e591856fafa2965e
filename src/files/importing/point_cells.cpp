#include "point_cells.h"

#include <algorithm>

#include <fmt/format.h>

#include "model/ascii_text.h"
#include "model/text_slips.h"

namespace greymet::files::internal {

using model::Area;
using model::DataType;
using model::TypeKind;

namespace {

bool is_nothing(std::string_view text) {
  return text.empty() || text == "-" || text == "\xE2\x80\x93";
}

// A number as a map has it, empty for an empty cell; nothing where it is none.
std::optional<std::string> number_text(const std::string& text) {
  if (is_nothing(text)) return std::string();
  // "6.000" may be six thousand
  const std::size_t point = text.find('.');
  const bool like_thousands =
      point <= 3 && text.size() == point + 4 && text[0] != '0' && text[0] != '-';
  if (like_thousands) return std::nullopt;
  const auto range = range_cell_from("0.." + text);
  if (range && model::is_digit(text[0])) return range->max;
  const auto scale = scale_cell_from(text);
  return scale ? std::optional(scale->factor) : std::nullopt;
}

}  // namespace

void CellFiller::fill(DraftRow& row, Area area, DataType type, const std::string& factor,
                      PointCells& cells) {
  fill_offset(row, cells);
  fill_order(row, type, cells);
  fill_range(row, factor, type, cells);
  fill_access(row, area, cells);
  fill_names(row, type, cells);
  const std::string decimals = in_.columns.cell(row.row, Column::decimals);
  if (model::all_digits(decimals) && decimals.size() == 1) cells["decimals"] = decimals;
  const std::string wears = in_.columns.cell(row.row, Column::wears);
  if (wears == "yes" || wears == "no") cells["wears"] = wears;
}

void CellFiller::fill_offset(DraftRow& row, PointCells& cells) const {
  const std::string text = in_.columns.cell(row.row, Column::offset);
  const auto number = number_text(text);
  if (!number) {
    refuse(row, fmt::format("offset '{}' is not understood", model::quoted_start(text)));
  } else if (!number->empty() && *number != "0") {
    cells["offset"] = *number;
  }
}

void CellFiller::fill_order(const DraftRow& row, DataType type, PointCells& cells) {
  const std::string text = in_.columns.cell(row.row, Column::word_order);
  if (is_nothing(text) || (!is_multi_register(type) && type.kind != TypeKind::text)) return;
  if (const auto order = model::word_order_from(text)) {
    cells["word_order"] = std::string(to_string(*order));
    return;
  }
  const auto meant = model::meant_word_order(text);
  if (meant && meant->certain) {
    cells["word_order"] = meant->text;
  } else if (const auto said = in_.answer("word_order")) {
    cells["word_order"] = *said;
  } else if (meant && meant->text == "ABCD") {
    cells["word_order"] = meant->text;
    orders_.insert(text);
  } else {
    doubtful_orders_.push_back(sample_of(row, fmt::format("'{}'", model::quoted_start(text))));
  }
}

void CellFiller::fill_range(const DraftRow& row, const std::string& factor, DataType type,
                            PointCells& cells) {
  const bool of_numbers =
      type.kind != TypeKind::boolean && type.kind != TypeKind::text && type.kind != TypeKind::bits;
  for (const auto& [column, name] :
       {std::pair{Column::min, "min"}, std::pair{Column::max, "max"}}) {
    const std::string text = in_.columns.cell(row.row, column);
    const auto number = number_text(text);
    if (!number) {
      not_taken_.push_back(
          fmt::format("line {}: {} '{}'", row.line, name, model::quoted_start(text)));
    } else if (of_numbers && !number->empty()) {
      cells[name] = *number;
    }
  }
  const std::string text = in_.columns.cell(row.row, Column::range);
  if (is_nothing(text) || model::value_names_from(text)) return;  // names: fill_names()
  const auto range = range_cell_from(text);
  // of a scaled value nobody says whether its ends are raw, unless they have decimals
  const bool scaled = !factor.empty() && factor != "1";
  const bool has_decimals =
      text.find('.') != std::string::npos && text.find("..") == std::string::npos;
  if (range && of_numbers && (!scaled || has_decimals)) {
    cells["min"] = range->min;
    cells["max"] = range->max;
  } else {
    not_taken_.push_back(fmt::format("line {}: range '{}'{}", row.line, model::quoted_start(text),
                                     range ? ", of raw values or of real ones" : ""));
  }
}

void CellFiller::fill_access(DraftRow& row, Area area, PointCells& cells) {
  const std::string text = in_.columns.cell(row.row, Column::access);
  std::string access = area_by_functions(functions_of(in_.columns, row)).access;
  if (!is_nothing(text)) {
    const auto known = access_cell_from(text);
    if (!known) {
      return refuse(row, fmt::format("access '{}' is not understood", model::quoted_start(text)));
    }
    access = *known;
  }
  const bool read_only = area == Area::discrete_input || area == Area::input_register;
  if (read_only && access == "w") {
    return refuse(row, fmt::format("access '{}': {} can only be read", text, with_article(area)));
  }
  if (read_only && access == "rw") access = "r";
  cells["access"] = access;
  if (access.empty() && !read_only) ++no_access_;
  if (access != "r" && !read_only) fill_write_functions(row, area, cells);
}

// Functions that a table names beside the one that reads are those the device takes. A single
// write alone for a value of several registers can only mean one of them at a time.
void CellFiller::fill_write_functions(const DraftRow& row, Area area, PointCells& cells) const {
  const std::vector<int> written =
      area == Area::coil ? std::vector<int>{5, 15} : std::vector<int>{6, 16, 22, 23};
  std::vector<int> takes;
  for (const int function : functions_of(in_.columns, row)) {
    const bool writes = std::find(written.begin(), written.end(), function) != written.end();
    if (writes && std::find(takes.begin(), takes.end(), function) == takes.end())
      takes.push_back(function);
  }
  const auto type = model::data_type_from(cells["type"]);
  const bool several = type && model::registers_of(*type) > 1;
  if (takes.empty() || (several && takes == std::vector<int>{6})) return;
  cells["write_fc"] = fmt::format("{}", fmt::join(takes, ", "));
}

void CellFiller::fill_names(const DraftRow& row, DataType type, PointCells& cells) const {
  std::string text = row.names;
  for (const Column column : {Column::names, Column::range}) {
    if (text.empty()) text = in_.columns.cell(row.row, column);
  }
  if (text.empty()) return;
  const auto names = model::value_names_from(text);
  const bool can =
      type.kind != TypeKind::text && type.kind != TypeKind::f32 && type.kind != TypeKind::f64;
  const bool fits = names && std::all_of(names->begin(), names->end(), [&](const auto& n) {
                      if (type.kind == TypeKind::bits) return n.raw >= 0 && n.raw < 16;
                      return type.kind != TypeKind::boolean || n.raw == 0 || n.raw == 1;
                    });
  if (names && can && fits) {
    cells["names"] = names_text(*names);
  } else if (in_.columns.cell(row.row, Column::names) == text && !names) {
    cells["note"] += (cells["note"].empty() ? "" : "; ") + text;
  }
}

void CellFiller::finish() {
  if (!doubtful_orders_.empty()) {
    in_.ask("word_order", "this may be one of two orders", doubtful_orders_);
  }
  for (const std::string& order : orders_) {
    in_.out.assumed.push_back(
        {"", fmt::format("word order '{}' is taken for ABCD", model::quoted_start(order))});
  }
  if (no_access_ > 0) {
    in_.out.assumed.push_back(
        {"", fmt::format("{} points may be written: nothing says that they are only read",
                         no_access_)});
  }
}

}  // namespace greymet::files::internal
