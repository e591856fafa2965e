#include "files/map_columns.h"

#include <array>

namespace greymet::files::internal {
namespace {

constexpr std::array<std::string_view, 18> column_names{
    "point", "area", "address", "type",   "bit",  "word_order", "factor", "offset",  "decimals",
    "unit",  "min",  "max",     "access", "note", "wears",      "names",  "read_fc", "write_fc"};
constexpr std::array<std::string_view, 4> needed_columns{"point", "area", "address", "type"};

// What other tables call our columns; by their bare words. A lost note or name harms nobody.
constexpr std::array<Synonym, 57> synonyms{{{"tag", "point"},
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
                                            {"readwrite", "access"},
                                            {"enumeration", "names"},
                                            {"enum", "names"},
                                            {"values", "names"},
                                            {"valuenames", "names"},
                                            {"states", "names"},
                                            {"options", "names"}}};

constexpr TableColumns all_columns{
    column_names, needed_columns, synonyms,
    "a map has a header row with at least point, area, address and type",
    "point, area, address and type are needed in every row"};

}  // namespace

const TableColumns& map_columns() {
  return all_columns;
}

}  // namespace greymet::files::internal
