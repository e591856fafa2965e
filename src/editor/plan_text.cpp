#include "editor/plan_text.h"

#include <algorithm>
#include <array>

namespace greymet::editor {

using files::Span;
using files::TomlKind;
using files::TomlNode;

namespace {

constexpr std::array<std::string_view, 5> tables_of_names{"controller", "line", "gateway", "slave",
                                                          "controller.*.memory"};

// Parts of a key as "controller.kiln" or `memory."%MW"`.
std::vector<NamePart> parts_of(std::string_view text, const Span& key) {
  std::vector<NamePart> parts;
  std::size_t at = key.begin;
  const auto blank = [&] {
    while (at < key.end && (text[at] == ' ' || text[at] == '\t')) ++at;
  };
  while (at < key.end) {
    blank();
    if (at >= key.end) break;
    const std::size_t begin = at;
    const char quote = text[at];
    if (quote == '"' || quote == '\'') {
      const std::size_t close = text.find(quote, at + 1);
      at = close == std::string_view::npos || close >= key.end ? key.end : close + 1;
      const std::size_t inner_end = at > begin + 1 && text[at - 1] == quote ? at - 1 : at;
      parts.push_back({std::string(text.substr(begin + 1, inner_end - begin - 1)), {begin, at}});
    } else {
      while (at < key.end && text[at] != '.' && text[at] != ' ' && text[at] != '\t') ++at;
      parts.push_back({std::string(text.substr(begin, at - begin)), {begin, at}});
    }
    blank();
    if (at < key.end && text[at] != '.') break;  // no key of TOML
    ++at;
  }
  return parts;
}

}  // namespace

bool has_names(std::string_view path) {
  return std::find(tables_of_names.begin(), tables_of_names.end(), path) != tables_of_names.end();
}

std::string path_below(std::string_view path, std::string_view key) {
  std::string below(path);
  if (!below.empty()) below += '.';
  below += has_names(path) ? std::string_view("*") : key;
  return below;
}

// Walks through the nodes of a scan.
class PlanTextReader {
 public:
  explicit PlanTextReader(PlanText& out) : out_(out) {}

  void read() {
    out_.tables_.push_back({"", {}, {0, out_.text_.size()}, {}, false, {}});
    std::size_t current = 0;
    for (const TomlNode& node : files::scan_toml(out_.text_)) {
      if (node.kind == TomlKind::pair) {
        read_pair(node, current);
        continue;
      }
      out_.tables_[current].whole.end = node.whole.begin;
      TableText table;
      for (NamePart& part : parts_of(out_.text_, node.key)) go_down(table, std::move(part));
      table.whole = {node.whole.begin, out_.text_.size()};
      table.head = node.whole;
      table.is_header = true;
      current = add(std::move(table));
    }
  }

 private:
  static void go_down(TableText& table, NamePart part) {
    const bool named = has_names(table.path);
    table.path = path_below(table.path, part.name);
    if (named) table.names.push_back(std::move(part));
  }

  std::size_t add(TableText table) {
    out_.tables_.push_back(std::move(table));
    return out_.tables_.size() - 1;
  }

  void add_key(KeyText key) {
    out_.tables_[key.table].keys.push_back(out_.keys_.size());
    out_.keys_.push_back(std::move(key));
  }

  void read_pair(const TomlNode& node, std::size_t table) {
    std::vector<NamePart> parts = parts_of(out_.text_, node.key);
    if (parts.empty()) return;
    // a dotted key is a table of its own
    for (std::size_t i = 0; i + 1 < parts.size(); ++i) {
      TableText below{out_.tables_[table].path,
                      out_.tables_[table].names,
                      node.whole,
                      {node.whole.begin, node.whole.begin},
                      false,
                      {}};
      go_down(below, parts[i]);
      table = add(std::move(below));
    }
    const NamePart& last = parts.back();
    const bool nested = starts(node.value, '{') || starts(node.value, '[');
    add_key({last.name, last.span, node.value, table, false, nested});
    TableText below{out_.tables_[table].path, out_.tables_[table].names, {}, {}, false, {}};
    go_down(below, last);
    read_value(node, last, below, table);
  }

  void read_value(const TomlNode& node, const NamePart& key, const TableText& below,
                  std::size_t table) {
    if (starts(node.value, '{')) {
      TableText inner = below;
      inner.whole = node.value;
      inner.head = {node.value.begin, node.value.begin + 1};
      const std::size_t own = add(std::move(inner));
      for (const TomlNode& part : node.parts) read_pair(part, own);
      return;
    }
    if (!starts(node.value, '[')) return;
    for (const TomlNode& element : node.parts) {
      if (starts(element.value, '{') || starts(element.value, '[')) {
        read_value(element, key, below, table);
      } else {
        add_key({key.name, key.span, element.value, table, true, false});
      }
    }
  }

  [[nodiscard]] bool starts(const Span& span, char with) const {
    return !span.empty() && out_.text_[span.begin] == with;
  }

  PlanText& out_;
};

PlanText::PlanText(std::string_view text) : text_(text) {
  PlanTextReader(*this).read();
}

const KeyText* PlanText::key_at(std::size_t byte) const {
  const KeyText* best = nullptr;
  std::size_t best_size = 0;
  for (const KeyText& key : keys_) {
    const bool on_key = !key.is_element && key.key_span.begin <= byte && byte <= key.key_span.end;
    const bool on_value = key.value.begin <= byte && byte <= key.value.end && !key.value.empty();
    if (!on_key && !on_value) continue;
    const std::size_t size = on_key ? 0 : key.value.end - key.value.begin;
    if (best != nullptr && size >= best_size) continue;
    best = &key;
    best_size = size;
  }
  return best;
}

const TableText& PlanText::table_at(std::size_t byte) const {
  const TableText* best = &tables_.front();
  for (const TableText& table : tables_) {
    if (table.whole.begin <= byte && byte <= table.whole.end &&
        table.whole.begin >= best->whole.begin) {
      best = &table;
    }
  }
  return *best;
}

const KeyText* PlanText::find(const TableText& table, std::string_view key) const {
  for (const std::size_t index : table.keys) {
    if (keys_[index].key == key && !keys_[index].is_element) return &keys_[index];
  }
  return nullptr;
}

files::Span PlanText::inner(const Span& span) const {
  Span out = span;
  if (out.empty()) return out;
  const char quote = text_[out.begin];
  if (quote != '"' && quote != '\'') return out;
  ++out.begin;
  if (out.end > out.begin && text_[out.end - 1] == quote) --out.end;
  return out;
}

std::string_view PlanText::word(const Span& span) const {
  const Span own = inner(span);
  return own.empty() ? std::string_view() : text_.substr(own.begin, own.end - own.begin);
}

std::string_view PlanText::word_of(const TableText& table, std::string_view key) const {
  const KeyText* const found = find(table, key);
  return found == nullptr ? std::string_view() : word(found->value);
}

}  // namespace greymet::editor
