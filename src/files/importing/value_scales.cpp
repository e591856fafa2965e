#include "value_scales.h"

#include <algorithm>
#include <array>
#include <cmath>

#include <fmt/format.h>

#include "model/ascii_text.h"

namespace greymet::files::internal {

using model::DataType;
using model::TypeKind;

void ValueScales::settle() {
  if (!in_.columns.has(Column::scale)) return;
  const bool ours = in_.columns.heading_of(Column::scale).is_ours &&
                    in_.columns.heading_of(Column::point).is_ours;
  bool fraction = false;
  bool power = false;
  bool large = false;
  bool decided_by_decimals = in_.columns.has(Column::decimals);
  std::vector<std::string> samples;
  for (const DraftRow& row : in_.table.rows) {
    const auto scale = scale_cell_from(in_.columns.cell(row.row, Column::scale));
    if (!scale || !scale->is_plain) continue;
    const double value = std::stod(scale->factor);
    power = power || scale->is_power;
    fraction = fraction || (std::abs(value) < 1 && value != 0);
    if (std::abs(value) > 1 || scale->is_power) {
      large = true;
      samples.push_back(sample_of(row, in_.columns.cell(row.row, Column::scale)));
    }
    const std::string decimals = in_.columns.cell(row.row, Column::decimals);
    if (std::abs(value) > 1 && !(model::all_digits(decimals) && decimals.size() == 1 &&
                                 power_of_ten(decimals[0] - '0') == scale->factor))
      decided_by_decimals = false;
  }
  const auto said = in_.answer("scale");
  scale_ = said ? *said : "multiply";
  if (said || ours || !large) return;
  if (decided_by_decimals && !power) {
    scale_ = "divide";
    in_.out.notes.emplace_back("the scale divides: the decimals are as many as its zeros");
    return;
  }
  if (fraction && !power) return;
  const std::string& heading = heading_text(Column::scale);
  in_.ask(
      "scale",
      power ? fmt::format("'{}' may multiply, divide, or be a power of ten", heading)
            : fmt::format("'{}' may multiply or divide: 10 makes 215 to 2150, or to 21.5", heading),
      samples);
}

std::string ValueScales::heading_text(Column column) const {
  return std::string(model::quoted_start(in_.columns.text_of(column)));
}

std::optional<std::string> ValueScales::factor_by_column(Column column,
                                                         const ScaleCell& scale) const {
  constexpr double most_power = 12;
  if (column == Column::factor || !scale.is_plain) return scale.factor;
  if (column == Column::divisor || scale_ == "divide") return inverse_of(scale.factor);
  if (scale_ != "power") return scale.factor;
  const double value = std::stod(scale.factor);
  if (value != std::floor(value) || std::abs(value) > most_power) return std::nullopt;
  return power_of_ten(static_cast<int>(value));
}

std::optional<std::string> ValueScales::factor_of(DraftRow& row, DataType type, std::string& unit) {
  std::vector<std::pair<std::string, std::string>> said;  // factor, and who says it
  for (const Column column : {Column::factor, Column::divisor, Column::scale}) {
    const std::string text = in_.columns.cell(row.row, column);
    if (text.empty() || text == "-" || text == "\xE2\x80\x93") continue;
    const auto scale = scale_cell_from(text);
    const auto factor = scale ? factor_by_column(column, *scale) : std::nullopt;
    if (!factor) {
      refuse(row, fmt::format("{} '{}' is not understood", to_string(column),
                              model::quoted_start(text)));
      return std::nullopt;
    }
    if (std::stod(*factor) == 0) {
      refuse(row, fmt::format("'{}' makes every value the same", text));
      return std::nullopt;
    }
    if (unit.empty()) unit = scale->unit;
    said.emplace_back(*factor, text);
  }
  // "0.1 °C" as a unit
  if (!unit.empty() && model::is_digit(unit[0])) {
    if (const auto scale = scale_cell_from(unit); scale && !scale->unit.empty()) {
      said.emplace_back(scale->factor, unit);
      in_units_.insert(fmt::format("'{}' is {} x {}", unit, scale->factor, scale->unit));
      unit = scale->unit;
    }
  }
  for (const auto& [factor, text] : said) {
    if (factor == said.front().first) continue;
    refuse(row, fmt::format("'{}' and '{}' say two factors", said.front().second, text));
    return std::nullopt;
  }
  if (!said.empty()) return said.front().first;
  static constexpr std::array not_whole{TypeKind::f32, TypeKind::f64, TypeKind::boolean,
                                        TypeKind::text, TypeKind::bits};
  const bool whole = std::find(not_whole.begin(), not_whole.end(), type.kind) == not_whole.end();
  const bool ours =
      in_.columns.heading_of(Column::decimals).is_ours && in_.columns.has(Column::scale);
  const std::string decimals = in_.columns.cell(row.row, Column::decimals);
  const bool scales =
      whole && !ours && decimals.size() == 1 && model::all_digits(decimals) && decimals != "0";
  if (!scales) return std::string();
  by_decimals_ = true;
  return power_of_ten(-(decimals[0] - '0'));
}

// A column of powers of ten under a heading that nobody knows: values may be scaled by it.
void ValueScales::ask_about(std::size_t column) const {
  if (in_.answer("columns")) return;
  const auto& addresses = in_.columns.addresses();
  if (std::find(addresses.begin(), addresses.end(), column) != addresses.end()) return;
  std::vector<std::string> samples;
  std::size_t others = 0;  // cells that are no powers of ten
  bool of_units = false;   // "0.1 A"
  for (const DraftRow& row : in_.table.rows) {
    const std::string text = in_.columns.cell(row.row, column);
    if (text.empty()) continue;
    const auto scale = scale_cell_from(text);
    const double power = scale ? std::log10(std::abs(std::stod(scale->factor))) : 0.5;
    if (!std::isfinite(power) || std::abs(power - std::round(power)) > 1e-9) {
      ++others;
      continue;
    }
    if (power == 0) continue;
    of_units = of_units || !scale->unit.empty();
    samples.push_back(sample_of(row, text));
  }
  if (samples.empty() || (others > 0 && !of_units)) return;
  in_.ask(
      "columns",
      fmt::format("'{}' is not known, and may scale values: name it in a file for --headings, or "
                  "say that it does nothing",
                  model::quoted_start(in_.columns.texts()[column])),
      samples);
}

}  // namespace greymet::files::internal
