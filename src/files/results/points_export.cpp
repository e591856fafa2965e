#include "files/points_export.h"

#include <fmt/format.h>

#include "files/csv_text.h"
#include "model/resolved_plan.h"

namespace greymet::files {

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
