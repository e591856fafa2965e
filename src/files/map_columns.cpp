#include "map_columns.h"

#include <algorithm>
#include <utility>

#include "model/nearest_name.h"
#include "model/text_slips.h"

namespace greymet::files::internal {
namespace {

// What other tables call our columns; by their bare words. A lost note or name harms nobody.
using Synonym = std::pair<std::string_view, std::string_view>;
constexpr std::array<Synonym, 51> synonyms{{{"tag", "point"},
                                            {"signal", "point"},
                                            {"pointname", "point"},
                                            {"name", "point"},
                                            {"table", "area"},
                                            {"registertype", "area"},
                                            {"space", "area"},
                                            {"register", "address"},
                                            {"reg", "address"},
                                            {"addr", "address"},
                                            {"modbusaddress", "address"},
                                            {"datatype", "type"},
                                            {"format", "type"},
                                            {"dtype", "type"},
                                            {"bitno", "bit"},
                                            {"bitnr", "bit"},
                                            {"bitnumber", "bit"},
                                            {"bitposition", "bit"},
                                            {"bitoffset", "bit"},
                                            {"order", "word_order"},
                                            {"byteorder", "word_order"},
                                            {"endian", "word_order"},
                                            {"endianness", "word_order"},
                                            {"swap", "word_order"},
                                            {"scale", "factor"},
                                            {"scaling", "factor"},
                                            {"scalefactor", "factor"},
                                            {"gain", "factor"},
                                            {"multiplier", "factor"},
                                            {"multiplicator", "factor"},
                                            {"resolution", "factor"},
                                            {"slope", "factor"},
                                            {"shift", "offset"},
                                            {"zero", "offset"},
                                            {"decimalplaces", "decimals"},
                                            {"digits", "decimals"},
                                            {"dp", "decimals"},
                                            {"engineeringunit", "unit"},
                                            {"engunit", "unit"},
                                            {"eu", "unit"},
                                            {"uom", "unit"},
                                            {"minimum", "min"},
                                            {"low", "min"},
                                            {"lowest", "min"},
                                            {"rangelow", "min"},
                                            {"maximum", "max"},
                                            {"high", "max"},
                                            {"highest", "max"},
                                            {"rangehigh", "max"},
                                            {"rw", "access"},
                                            {"readwrite", "access"}}};

}  // namespace

std::optional<MeantColumn> meant_column(std::string_view heading) {
  const std::string word = model::bare_word(heading);
  for (const std::string_view column : columns) {
    if (word == model::bare_word(column)) return MeantColumn{column, true};
  }
  for (const auto& [synonym, column] : synonyms) {
    if (word == synonym) return MeantColumn{column, true};
  }
  const auto near = model::near_name(word, columns);
  if (!near) return std::nullopt;
  return MeantColumn{*std::find(columns.begin(), columns.end(), near->name), near->only};
}

}  // namespace greymet::files::internal
