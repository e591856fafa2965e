#include "files/tag_reader.h"

#include <array>
#include <unordered_map>

#include <fmt/format.h>

#include "files/table_rows.h"
#include "model/ascii_text.h"
#include "model/duration_text.h"
#include "model/nearest_name.h"
#include "model/text_slips.h"
#include "model/utf8_text.h"

namespace greymet::files {

using internal::Synonym;
using model::RuleCode;
using model::Tag;
using model::TagCell;

namespace {

constexpr std::array<std::string_view, 11> column_names_of_tags{
    "tag",  "address", "type", "word_order", "factor", "offset",
    "unit", "from",    "to",   "max_age",    "note"};
constexpr std::array<std::string_view, 3> needed_of_tags{"tag", "address", "type"};
constexpr std::array<Synonym, 31> synonyms_of_tags{{{"name", "tag"},
                                                    {"variable", "tag"},
                                                    {"symbol", "tag"},
                                                    {"tagname", "tag"},
                                                    {"symbolname", "tag"},
                                                    {"variablename", "tag"},
                                                    {"addr", "address"},
                                                    {"location", "address"},
                                                    {"locatedat", "address"},
                                                    {"memory", "address"},
                                                    {"absoluteaddress", "address"},
                                                    {"datatype", "type"},
                                                    {"dtype", "type"},
                                                    {"iectype", "type"},
                                                    {"byteorder", "word_order"},
                                                    {"order", "word_order"},
                                                    {"swap", "word_order"},
                                                    {"scale", "factor"},
                                                    {"scaling", "factor"},
                                                    {"gain", "factor"},
                                                    {"engineeringunit", "unit"},
                                                    {"engunit", "unit"},
                                                    {"eu", "unit"},
                                                    {"uom", "unit"},
                                                    {"source", "from"},
                                                    {"target", "to"},
                                                    {"destination", "to"},
                                                    {"maximumage", "max_age"},
                                                    {"freshness", "max_age"},
                                                    {"comment", "note"},
                                                    {"description", "note"}}};
constexpr internal::TableColumns columns_of_tags{
    column_names_of_tags, needed_of_tags, synonyms_of_tags,
    "a table of tags has a header row with at least tag, address and type",
    "tag, address and type are needed in every row"};

constexpr std::size_t longest_name = 100;
constexpr std::string_view types_expected =
    "BOOL INT UINT DINT UDINT LINT ULINT REAL LREAL WORD DWORD LWORD STRING[n], or a type of "
    "register maps";

// What another language calls a type, or the type that a misspelt name is nearest to.
std::optional<model::Meant> meant_tag_type(std::string_view text) {
  if (const auto meant = model::meant_type(text)) {
    if (const auto type = model::tag_type_from(meant->text)) {
      return model::Meant{to_text(*type), meant->certain};
    }
  }
  static constexpr std::array<std::string_view, 12> known{"BOOL",  "INT",  "UINT",  "DINT",
                                                          "UDINT", "LINT", "ULINT", "REAL",
                                                          "LREAL", "WORD", "DWORD", "LWORD"};
  const auto near = model::near_name(text, known);
  if (!near) return std::nullopt;
  return model::Meant{near->name, false};
}

class TagReader {
 public:
  TagReader(const model::Subject& subject, model::Findings& findings)
      : in_(columns_of_tags, subject, findings) {}

  void refuse(const CsvError& error) { in_.report(error.place, error.message, error.remedy); }

  void read(const CsvTable& table, model::TagTable& out) {
    if (!in_.begin(table)) return;
    out.incomplete = !in_.misread_columns().empty();
    for (const std::vector<Cell>& row : table.rows) {
      auto tag = in_.next(row) ? read_tag() : std::nullopt;
      if (tag) {
        out.tags.push_back(std::move(*tag));
        continue;
      }
      out.incomplete = true;
      if (const Cell* name = in_.cell("tag")) out.left_out.push_back(name->text);
    }
    if (table.rows.empty()) {
      out.incomplete = true;
      in_.report(table.header.front().place, "has a header row and no tags",
                 "add a row for each variable");
    }
  }

 private:
  std::optional<Tag> read_tag() {
    Tag tag;
    tag.place = in_.first_cell().place;
    read_name(tag);
    if (const Cell* c = in_.needed("address")) tag.address = {c->text, c->place};
    if (const Cell* c = in_.needed("type")) {
      if (const auto type = model::tag_type_from(c->text)) {
        tag.type = *type;
      } else {
        in_.bad(*c, "type", types_expected, meant_tag_type(c->text));
      }
    }
    if (const Cell* c = in_.cell("word_order")) {
      tag.word_order = model::word_order_from(c->text);
      if (!tag.word_order) {
        in_.bad(*c, "word_order", "ABCD, CDAB, BADC or DCBA", model::meant_word_order(c->text));
      }
    }
    tag.factor = in_.number("factor");
    if (tag.factor && *tag.factor == 0) {
      in_.bad(*in_.cell("factor"), "factor", "a number that is not 0, or leave the cell empty");
    }
    tag.offset = in_.number("offset");
    tag.unit = in_.text("unit");
    tag.note = in_.text("note");
    if (const Cell* c = in_.cell("from")) tag.from = model::Located<std::string>{c->text, c->place};
    if (const Cell* c = in_.cell("to")) tag.to = model::Located<std::string>{c->text, c->place};
    read_max_age(tag);
    spot(tag, TagCell::type, "type");
    spot(tag, TagCell::word_order, "word_order");
    spot(tag, TagCell::factor, "factor");
    spot(tag, TagCell::offset, "offset");
    spot(tag, TagCell::unit, "unit");
    if (in_.failed()) return std::nullopt;
    return tag;
  }

  void read_name(Tag& tag) {
    const Cell* c = in_.needed("tag");
    if (c == nullptr) return;
    tag.name = c->text;
    tag.place = c->place;
    if (model::code_points(c->text) > longest_name) {
      in_.bad(*c, "tag", fmt::format("a name of at most {} characters", longest_name));
      return;
    }
    const auto [at, is_new] = rows_of_names_.emplace(c->text, in_.number_of_row());
    if (is_new) return;
    in_.fail();
    in_.report(c->place,
               fmt::format("row {}: tag '{}' is already in row {}", in_.number_of_row(), c->text,
                           at->second),
               "give one of them another name", RuleCode::P04);
  }

  void read_max_age(Tag& tag) {
    const Cell* c = in_.cell("max_age");
    if (c == nullptr) return;
    const auto age = model::parse_duration(c->text);
    if (age && *age > model::Duration{}) {
      tag.max_age = model::Located<model::Duration>{*age, c->place};
    } else {
      in_.bad(*c, "max_age", "a time with its unit, e.g. 500ms", model::meant_duration(c->text));
    }
  }

  void spot(Tag& tag, TagCell which, std::string_view column) const {
    const Cell* c = in_.cell(column);
    constexpr std::uint32_t most = 65535;
    if (c == nullptr || c->place.line != tag.place.line || c->place.end_line != c->place.line ||
        c->place.end_column > most) {
      return;
    }
    tag.cells[static_cast<std::size_t>(which)] = {static_cast<std::uint16_t>(c->place.column),
                                                  static_cast<std::uint16_t>(c->place.end_column),
                                                  false};
  }

  internal::RowReader in_;
  std::unordered_map<std::string, std::size_t> rows_of_names_;
};

}  // namespace

model::TagTable read_tags(const std::string& text, const std::string& name, std::uint32_t file,
                          const model::Subject& subject, model::Findings& findings) {
  model::TagTable out;
  out.file = name;
  TagReader reader(subject, findings);
  const auto table = read_csv(text, file);
  if (!table) {
    reader.refuse(table.error());
    out.incomplete = true;
    return out;
  }
  const std::size_t before = findings.size();
  reader.read(*table, out);
  if (out.tags.empty() && findings.size() > before) out.incomplete = true;
  return out;
}

}  // namespace greymet::files
