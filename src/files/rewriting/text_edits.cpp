// Fixes as plain replacements: keys of TOML tables and cells of CSV rows.
#include <algorithm>
#include <string_view>

#include <fmt/format.h>

#include "files/csv_reader.h"
#include "files/cures.h"
#include "files/source_text.h"
#include "files/toml_reader.h"
#include "files/toml_scan.h"

namespace greymet::files {

using model::Edit;
using model::EditKind;
using model::KeyText;

namespace {

std::string_view part_of(std::string_view text, const Span& span) {
  return text.substr(span.begin, span.end - span.begin);
}

std::string_view bare_key(std::string_view key) {
  const bool quoted = key.size() >= 2 && (key.front() == '"' || key.front() == '\'');
  return quoted ? key.substr(1, key.size() - 2) : key;
}

// One change of a text, by bytes.
struct Replacement {
  Span span;
  std::string text;
};

// The tables around a byte: the statement, and inside it the inline tables and rows.
struct TomlPlace {
  const TomlNode* header = nullptr;  // of the table the statement stands in; none at the top
  std::vector<const TomlNode*> way;  // from the statement inwards
  std::size_t statement = 0;
};

TomlPlace place_in(const std::vector<TomlNode>& nodes, std::size_t at) {
  TomlPlace place;
  const std::vector<TomlNode>* level = &nodes;
  bool outermost = true;
  while (true) {
    const auto next =
        std::upper_bound(level->begin(), level->end(), at,
                         [](std::size_t spot, const TomlNode& n) { return spot < n.whole.begin; });
    if (next == level->begin()) break;
    const TomlNode& node = *std::prev(next);
    if (at > node.whole.end) break;
    if (outermost) {
      place.statement = static_cast<std::size_t>(std::prev(next) - nodes.begin());
      outermost = false;
    }
    place.way.push_back(&node);
    level = &node.parts;
  }
  for (std::size_t i = place.statement + 1; i > 0 && place.header == nullptr; --i) {
    const TomlNode& node = nodes[i - 1];
    if (node.kind != TomlKind::pair) place.header = &node;
  }
  return place;
}

bool is_inline_table(std::string_view text, const TomlNode& node) {
  return node.closed && part_of(text, node.value).starts_with('{');
}

// Sets keys of an inline table.
void set_in_row(std::string_view text, const TomlNode& table, const std::vector<KeyText>& keys,
                std::vector<Replacement>& out) {
  std::string added;
  for (const KeyText& key : keys) {
    const auto known = std::find_if(table.parts.begin(), table.parts.end(), [&](const TomlNode& p) {
      return bare_key(part_of(text, p.key)) == key.key;
    });
    if (known != table.parts.end()) {
      out.push_back({known->value, key.text});
    } else {
      added += fmt::format(", {} = {}", key.key, key.text);
    }
  }
  if (added.empty()) return;
  if (table.parts.empty()) {
    const std::size_t at = table.value.begin + 1;
    out.push_back({{at, at}, " " + added.substr(2) + " "});
  } else {
    const std::size_t at = table.parts.back().whole.end;
    out.push_back({{at, at}, added});
  }
}

std::size_t end_of_line(std::string_view text, std::size_t at) {
  const std::size_t end = std::min(text.find('\n', at), text.size());
  return end > at && text[end - 1] == '\r' ? end - 1 : end;
}
std::size_t begin_of_line(std::string_view text, std::size_t at) {
  const std::size_t before = at == 0 ? std::string_view::npos : text.rfind('\n', at - 1);
  return before == std::string_view::npos ? 0 : before + 1;
}

// Pairs that stand under a header, up to the next one.
std::vector<const TomlNode*> pairs_under(const std::vector<TomlNode>& nodes,
                                         const TomlNode& header) {
  std::vector<const TomlNode*> pairs;
  const auto first = static_cast<std::size_t>(&header - nodes.data()) + 1;
  for (std::size_t i = first; i < nodes.size() && nodes[i].kind == TomlKind::pair; ++i) {
    pairs.push_back(&nodes[i]);
  }
  return pairs;
}

// Sets keys of a table with lines of its own, in the way its other lines are written.
void set_in_block(std::string_view text, const std::vector<TomlNode>& nodes, const TomlNode& header,
                  const std::vector<KeyText>& keys, std::vector<Replacement>& out) {
  const auto pairs = pairs_under(nodes, header);
  const std::string_view ending = line_ending(text);
  const TomlNode& last = pairs.empty() ? header : *pairs.back();
  std::string added;
  for (const KeyText& key : keys) {
    const auto known = std::find_if(pairs.begin(), pairs.end(), [&](const TomlNode* p) {
      return bare_key(part_of(text, p->key)) == key.key;
    });
    if (known != pairs.end()) {
      out.push_back({(*known)->value, key.text});
      continue;
    }
    const std::size_t width = pairs.empty() ? 0 : text.find('=', last.key.end) - last.key.begin;
    const std::size_t first = begin_of_line(text, last.whole.begin);
    const std::string_view indent = text.substr(first, last.whole.begin - first);
    const bool blank = indent.find_first_not_of(" \t") == std::string_view::npos;
    added += fmt::format("{}{}{:<{}}= {}", ending, blank ? indent : std::string_view(),
                         key.key + (width > key.key.size() + 1 ? "" : " "), width, key.text);
  }
  if (added.empty()) return;
  const std::size_t at = end_of_line(text, last.whole.end);
  out.push_back({{at, at}, added});
}

std::string carried_out(std::string_view text, std::vector<Replacement> changes) {
  std::stable_sort(changes.begin(), changes.end(), [](const Replacement& a, const Replacement& b) {
    return a.span.begin < b.span.begin;
  });
  std::string out;
  std::size_t at = 0;
  for (const Replacement& change : changes) {
    out += text.substr(at, change.span.begin - at);
    out += change.text;
    at = change.span.end;
  }
  out += text.substr(at);
  return out;
}

// A row of TOML, or a block: the edit's keys in it.
std::optional<std::vector<Replacement>> in_toml(std::string_view text,
                                                const std::vector<TomlNode>& nodes,
                                                const Edit& edit, std::size_t at) {
  const TomlPlace place = place_in(nodes, at);
  const TomlNode* row = nullptr;    // innermost inline table
  const TomlNode* entry = nullptr;  // innermost inline table that is an entry of a list
  for (const TomlNode* node : place.way) {
    if (!is_inline_table(text, *node)) continue;
    row = node;
    if (node->kind == TomlKind::element) entry = node;
  }
  std::vector<Replacement> out;
  if (edit.kind == EditKind::set_keys) {
    if (row != nullptr) {
      set_in_row(text, *row, edit.keys, out);
    } else if (place.header != nullptr) {
      set_in_block(text, nodes, *place.header, edit.keys, out);
    } else {
      return std::nullopt;
    }
    return out;
  }
  if (entry != nullptr) {
    const std::size_t first = begin_of_line(text, entry->whole.begin);
    const std::string_view before = text.substr(first, entry->whole.begin - first);
    const bool own_line = before.find_first_not_of(" \t") == std::string_view::npos;
    if (edit.kind == EditKind::copy_row) {
      std::vector<Replacement> changes;
      set_in_row(text, *entry, edit.keys, changes);
      for (Replacement& c : changes) {
        c.span.begin -= entry->whole.begin;
        c.span.end -= entry->whole.begin;
      }
      out.push_back({{entry->whole.end, entry->whole.end},
                     fmt::format(",{}{}{}", own_line ? line_ending(text) : " ",
                                 own_line ? before : std::string_view(),
                                 carried_out(part_of(text, entry->whole), changes))});
      return out;
    }
    // the row with its comma, and its line where it is alone there
    std::size_t end = entry->whole.end;
    const std::size_t comma = text.find_first_not_of(" \t", end);
    if (comma != std::string_view::npos && text[comma] == ',') end = comma + 1;
    const std::size_t rest = text.find_first_not_of(" \t", end);
    const bool ends_line =
        rest == std::string_view::npos || text[rest] == '\n' || text[rest] == '\r';
    if (own_line && ends_line) {
      const std::size_t line = std::min(text.find('\n', end), text.size());
      out.push_back({{first, std::min(line + 1, text.size())}, {}});
    } else {
      out.push_back({{entry->whole.begin, end}, {}});
    }
    return out;
  }
  if (place.header == nullptr || place.header->kind != TomlKind::array_header) return std::nullopt;
  const auto pairs = pairs_under(nodes, *place.header);
  const std::size_t begin = begin_of_line(text, place.header->whole.begin);
  const std::size_t last = pairs.empty() ? place.header->whole.end : pairs.back()->whole.end;
  const std::size_t end = end_of_line(text, last);
  const std::string_view ending = line_ending(text);
  if (edit.kind == EditKind::copy_row) {
    std::vector<Replacement> changes;
    set_in_block(text, nodes, *place.header, edit.keys, changes);
    for (Replacement& c : changes) {
      c.span.begin -= begin;
      c.span.end -= begin;
    }
    out.push_back(
        {{end, end},
         fmt::format("{0}{0}{1}", ending, carried_out(text.substr(begin, end - begin), changes))});
  } else {
    out.push_back({{begin, std::min(text.find('\n', end), text.size() - 1) + 1}, {}});
  }
  return out;
}

// What a value is that is spelt as in TOML.
std::string value_of(std::string_view spelt) {
  if (spelt.size() < 2 || spelt.front() != '"' || spelt.back() != '"') return std::string(spelt);
  model::Findings ignored;
  const auto read = read_toml(fmt::format("value = {}", spelt), 0, ignored);
  const Value* value = read ? read->find("value") : nullptr;
  return value != nullptr && value->kind == ValueKind::text ? value->text : std::string(spelt);
}

// A text of TOML as a cell.
std::string as_cell(std::string_view spelt, char delimiter) {
  std::string text = value_of(spelt);
  if (text.find_first_of(std::string{delimiter, '"', '\n'}) == std::string::npos) return text;
  std::string out = "\"";
  for (const char c : text) {
    if (c == '"') out += '"';
    out += c;
  }
  return out + '"';
}

// A row of a table: its cells, or the whole of it.
std::optional<std::vector<Replacement>> in_csv(const SourceText& source,
                                               const std::optional<CsvTable>& table,
                                               const Edit& edit) {
  if (!table) return std::nullopt;
  if (edit.kind == EditKind::replace) {
    return std::vector<Replacement>{{{source.offset(edit.range.line, edit.range.column),
                                      source.offset(edit.range.end_line, edit.range.end_column)},
                                     as_cell(edit.text, table->delimiter)}};
  }
  const auto row = std::partition_point(table->rows.begin(), table->rows.end(),
                                        [&](const std::vector<Cell>& cells) {
                                          return cells.back().place.end_line < edit.range.line;
                                        });
  if (row == table->rows.end() || edit.range.line < row->front().place.line) return std::nullopt;
  const std::size_t begin = source.offset(row->front().place.line, 1);
  const std::size_t end = end_of_line(
      source.text(), source.offset(row->back().place.end_line, row->back().place.end_column));
  std::vector<Replacement> out;
  for (const KeyText& key : edit.keys) {
    const auto column = std::find_if(table->header.begin(), table->header.end(),
                                     [&](const Cell& cell) { return cell.text == key.key; });
    const auto index = static_cast<std::size_t>(column - table->header.begin());
    if (column == table->header.end() || index >= row->size()) return std::nullopt;
    const model::Range& cell = (*row)[index].place;
    out.push_back(
        {{source.offset(cell.line, cell.column), source.offset(cell.end_line, cell.end_column)},
         as_cell(key.text, table->delimiter)});
  }
  if (edit.kind == EditKind::set_keys) return out;
  if (edit.kind == EditKind::drop_row) {
    const std::size_t next = std::min(source.text().find('\n', end), source.text().size() - 1);
    return std::vector<Replacement>{{{begin, next + 1}, {}}};
  }
  for (Replacement& c : out) {
    c.span.begin -= begin;
    c.span.end -= begin;
  }
  return std::vector<Replacement>{
      {{end, end},
       fmt::format("{}{}", line_ending(source.text()),
                   carried_out(source.text().substr(begin, end - begin), std::move(out)))}};
}

}  // namespace

// What a file is made of.
struct FixWriter::Structure {
  SourceText source;
  std::vector<TomlNode> nodes;    // of a TOML file
  std::optional<CsvTable> table;  // of a table that can be read
};

FixWriter::FixWriter(const LoadedPlan& loaded) : loaded_(loaded) {}
FixWriter::~FixWriter() = default;

const FixWriter::Structure& FixWriter::structure_of(std::uint32_t file) {
  auto& known = structures_[file];
  if (known != nullptr) return *known;
  const SourceFile& source = loaded_.sources[file];
  Structure made{SourceText(source.text), {}, {}};
  if (source.is_program) {
    // nothing but its text
  } else if (!source.is_table) {
    made.nodes = scan_toml(source.text);
  } else if (auto table = read_csv(source.text, file)) {
    made.table = std::move(*table);
  }
  known = std::make_unique<const Structure>(std::move(made));
  return *known;
}

std::optional<std::vector<TextEdit>> FixWriter::edits_of(const model::Fix& fix) {
  std::vector<TextEdit> out;
  for (const Edit& edit : fix.edits) {
    if (edit.range.file >= loaded_.sources.size() || edit.range.line == 0) return std::nullopt;
    const SourceFile& file = loaded_.sources[edit.range.file];
    if (!file.may_be_quoted || file.is_project || file.is_workbook) return std::nullopt;
    if (file.is_program && edit.kind != EditKind::replace) return std::nullopt;
    const Structure& structure = structure_of(edit.range.file);
    const SourceText& source = structure.source;
    std::optional<std::vector<Replacement>> changes;
    if (file.is_table) {
      changes = in_csv(source, structure.table, edit);
    } else if (edit.kind == EditKind::replace) {
      changes =
          std::vector<Replacement>{{{source.offset(edit.range.line, edit.range.column),
                                     source.offset(edit.range.end_line, edit.range.end_column)},
                                    edit.text}};
    } else {
      changes = in_toml(file.text, structure.nodes, edit,
                        source.offset(edit.range.line, edit.range.column));
    }
    if (!changes) return std::nullopt;
    for (Replacement& c : *changes) {
      out.push_back({edit.range.file, c.span.begin, c.span.end, std::move(c.text)});
    }
  }
  std::stable_sort(out.begin(), out.end(), [](const TextEdit& a, const TextEdit& b) {
    return std::pair(a.file, a.begin) < std::pair(b.file, b.begin);
  });
  for (std::size_t i = 1; i < out.size(); ++i) {
    if (out[i].file == out[i - 1].file && out[i].begin < out[i - 1].end) return std::nullopt;
  }
  return out;
}

std::optional<std::vector<TextEdit>> text_edits(const LoadedPlan& loaded, const model::Fix& fix) {
  return FixWriter(loaded).edits_of(fix);
}

std::string edited(const std::string& text, const std::vector<TextEdit>& edits) {
  std::string out;
  std::size_t at = 0;
  for (const TextEdit& edit : edits) {
    out += text.substr(at, edit.begin - at);
    out += edit.text;
    at = edit.end;
  }
  out += text.substr(at);
  return out;
}

}  // namespace greymet::files
