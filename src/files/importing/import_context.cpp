#include "import_context.h"

#include <fmt/format.h>

#include "model/ascii_text.h"

namespace greymet::files::internal {

void ImportContext::ask(std::string about, std::string text,
                        std::vector<std::string> samples) const {
  constexpr std::size_t most_samples = 6;
  if (samples.size() > most_samples) {
    const std::size_t more = samples.size() - most_samples;
    samples.resize(most_samples);
    samples.push_back(fmt::format("and {} more", more));
  }
  out.questions.push_back({std::move(about), std::move(text), std::move(samples)});
}

void refuse(DraftRow& row, std::string why) {
  if (row.trouble.empty()) row.trouble = std::move(why);
}

std::string sample_of(const DraftRow& row, std::string_view cell) {
  return fmt::format("line {}: {}  {}", row.line, model::quoted_start(row.name), cell);
}

std::vector<int> functions_of(const ColumnsOfTable& columns, const DraftRow& row) {
  std::vector<int> out;
  for (const Column column : {Column::function, Column::read_function, Column::write_function}) {
    const auto some = functions_from(columns.cell(row.row, column));
    out.insert(out.end(), some.begin(), some.end());
  }
  return out;
}

std::optional<model::Area> area_said(const ColumnsOfTable& columns, const DraftRow& row) {
  const bool of_bits =
      row.type && row.type->type && row.type->type->kind == model::TypeKind::boolean && !row.bit;
  const std::string text = columns.cell(row.row, Column::area);
  if (!text.empty()) return area_cell_from(text, of_bits);
  if (row.address && row.address->area) return row.address->area;
  if (const auto by = area_by_functions(functions_of(columns, row)); by.area) return by.area;
  const auto of_heading = columns.heading_of(Column::address).area;
  return row.section ? row.section : of_heading;
}

}  // namespace greymet::files::internal
