#include "files/plan_rewrite.h"

#include <fmt/format.h>
#include <toml++/toml.h>

#include "model/duration_text.h"
#include "model/plan.h"

namespace greymet::files {
namespace {

constexpr std::string_view mark = "# packed: ";

std::string quoted_toml(std::string_view text) {
  std::string out = "\"";
  for (const char c : text) {
    const auto byte = static_cast<unsigned char>(c);
    if (c == '"' || c == '\\') {
      out += '\\';
      out += c;
    } else if (byte < 0x20 || byte == 0x7F) {
      out += fmt::format("\\u{:04X}", byte);
    } else {
      out += c;
    }
  }
  out += '"';
  return out;
}

// Key and value pairs of a transaction, in the order of a row.
std::vector<std::pair<std::string, std::string>> cells_of(const model::Transaction& t) {
  std::vector<std::pair<std::string, std::string>> cells;
  cells.emplace_back("name", quoted_toml(t.name));
  if (t.controller) cells.emplace_back("controller", quoted_toml(t.controller->value));
  if (t.slave) cells.emplace_back("slave", quoted_toml(t.slave->value));
  if (t.function) cells.emplace_back("fc", fmt::format("{}", t.function->value));
  if (t.block.at) cells.emplace_back("at", quoted_toml(t.block.at->value.text));
  if (t.block.count) cells.emplace_back("count", fmt::format("{}", t.block.count->value));
  if (t.into) cells.emplace_back("into", quoted_toml(t.into->value));
  if (t.packing)
    cells.emplace_back("packing", quoted_toml(std::string(model::to_string(t.packing->value))));
  if (t.every) cells.emplace_back("every", quoted_toml(model::to_text(t.every->value.period)));
  if (t.phase) cells.emplace_back("phase", quoted_toml(model::to_text(t.phase->value)));
  return cells;
}

// The lines of a text with their ends, to be changed one by one.
class EditedLines {
 public:
  explicit EditedLines(std::string_view text) {
    while (!text.empty()) {
      const std::size_t end = text.find('\n');
      const std::size_t length = end == std::string_view::npos ? text.size() : end + 1;
      lines_.emplace_back(text.substr(0, length));
      text.remove_prefix(length);
    }
    if (!lines_.empty() && lines_.back().back() != '\n') lines_.back() += '\n';
    crlf_ = !lines_.empty() && lines_.front().size() > 1 &&
            lines_.front()[lines_.front().size() - 2] == '\r';
  }
  [[nodiscard]] std::string& at(std::uint32_t line) { return lines_[line - 1]; }
  [[nodiscard]] std::uint32_t count() const { return static_cast<std::uint32_t>(lines_.size()); }
  [[nodiscard]] std::string ending() const { return crlf_ ? "\r\n" : "\n"; }
  // Byte index of a column, which counts code points from 1.
  [[nodiscard]] std::size_t byte_at(std::uint32_t line, std::uint32_t column) {
    const std::string& text = at(line);
    std::size_t byte = 0;
    for (std::uint32_t c = 1; c < column && byte < text.size(); ++c) {
      ++byte;
      while (byte < text.size() && (static_cast<unsigned char>(text[byte]) & 0xC0U) == 0x80) {
        ++byte;
      }
    }
    return byte;
  }
  [[nodiscard]] std::string text() const { return fmt::format("{}", fmt::join(lines_, "")); }

 private:
  std::vector<std::string> lines_;
  bool crlf_ = false;
};

std::string blocks_text(const std::vector<model::Transaction>& transactions,
                        const std::string& ending) {
  std::string text;
  for (const model::Transaction& t : transactions) {
    text += fmt::format("{0}[[exchange.transactions]]{0}", ending);
    for (const auto& [key, value] : cells_of(t)) {
      text += fmt::format("{:<8} = {}{}", key, value, ending);
    }
  }
  return text;
}

std::string rows_text(const std::vector<model::Transaction>& transactions,
                      const std::string& indent, const std::string& ending) {
  std::string text;
  for (const model::Transaction& t : transactions) {
    text += fmt::format("{}{},{}", indent, transaction_row(t), ending);
  }
  return text;
}

std::string indent_of(const std::string& line) {
  return line.substr(0, line.find_first_not_of(" \t"));
}

// The last line of a node and of all it holds.
std::uint32_t last_line(const toml::node& node) {
  std::uint32_t last = node.source().end.line;
  if (const auto* table = node.as_table()) {
    for (const auto& each : *table) last = std::max(last, last_line(each.second));
  } else if (const auto* array = node.as_array()) {
    for (const toml::node& each : *array) last = std::max(last, last_line(each));
  }
  return last;
}

bool is_blocks(EditedLines& lines, const toml::array& array) {
  if (array.empty()) return false;
  const auto begin = array.get(0)->source().begin;
  const std::string& line = lines.at(begin.line);
  return line.find("[[") != std::string::npos && line.find_first_not_of(" \t") == line.find("[[");
}

// Adds rows before the bracket that closes the array.
bool add_rows(EditedLines& lines, const toml::array& array,
              const std::vector<model::Transaction>& transactions) {
  const auto end = array.source().end;  // behind the bracket
  if (end.column < 2) return false;
  std::string& closing = lines.at(end.line);
  const std::size_t bracket = lines.byte_at(end.line, end.column - 1);
  if (bracket >= closing.size() || closing[bracket] != ']') return false;
  std::string indent = "  ";
  bool comma = true;  // nothing needs one
  if (!array.empty()) {
    const toml::node& last = *array.get(array.size() - 1);
    indent = indent_of(lines.at(last.source().begin.line));
    if (last.source().begin.line == array.source().begin.line) indent.assign(2, ' ');
    // is there a comma between the last row and the bracket, comments aside?
    const auto after = last.source().end;
    comma = false;
    for (std::uint32_t n = after.line; n <= end.line && !comma; ++n) {
      const std::string& line = lines.at(n);
      std::size_t from = n == after.line ? lines.byte_at(n, after.column) : 0;
      for (; from < line.size() && line[from] != '#' && line[from] != ']'; ++from) {
        comma = comma || line[from] == ',';
      }
    }
    if (!comma) {
      std::string& row = lines.at(after.line);
      row.insert(lines.byte_at(after.line, after.column), 1, ',');
    }
  }
  // the bracket may have moved by the comma
  const std::size_t at = closing.find_last_of(']', bracket + 1);
  const std::string before = closing.substr(0, at);
  const bool own_line = before.find_first_not_of(" \t") == std::string::npos;
  const std::string rows = rows_text(transactions, indent, lines.ending());
  closing = own_line ? fmt::format("{}{}", rows, closing)
                     : fmt::format("{}{}{}{}", before, lines.ending(), rows, closing.substr(at));
  return true;
}

void comment_out(EditedLines& lines, std::uint32_t from, std::uint32_t to) {
  for (std::uint32_t n = from; n <= to && n <= lines.count(); ++n) {
    std::string& line = lines.at(n);
    const std::size_t text = line.find_first_not_of(" \t\r\n");
    if (text == std::string::npos || line[text] == '#') continue;
    line.insert(text, mark);
  }
}

// First and last line of the wants, header of blocks included.
std::pair<std::uint32_t, std::uint32_t> lines_of(const toml::key& key, const toml::node& node,
                                                 bool blocks) {
  const std::uint32_t first =
      blocks ? node.as_array()->get(0)->source().begin.line : key.source().begin.line;
  return {first, last_line(node)};
}

}  // namespace

std::string transaction_row(const model::Transaction& transaction) {
  std::vector<std::string> parts;
  for (const auto& [key, value] : cells_of(transaction)) {
    parts.push_back(fmt::format("{} = {}", key, value));
  }
  return fmt::format("{{ {} }}", fmt::join(parts, ", "));
}

tl::expected<std::string, std::string> with_packed_wants(
    std::string_view plan, const std::vector<model::Transaction>& transactions) {
  toml::table parsed;
  try {
    parsed = toml::parse(plan);
  } catch (const toml::parse_error& error) {
    return tl::unexpected(fmt::format("the plan is not TOML: {}", error.description()));
  }
  const toml::table* exchange = parsed["exchange"].as_table();
  if (exchange == nullptr || exchange->is_inline()) {
    return tl::unexpected(std::string("[exchange] is not a table of its own: write it as one"));
  }
  EditedLines lines(plan);
  const toml::array* wants = (*exchange)["wants"].as_array();
  const toml::array* rows = (*exchange)["transactions"].as_array();
  if (wants == nullptr || wants->empty()) return std::string(plan);
  const bool want_blocks = is_blocks(lines, *wants);
  const auto [first, last] = lines_of(exchange->find("wants")->first, *wants, want_blocks);
  if (rows == nullptr && want_blocks) {
    return tl::unexpected(
        std::string("there are no `transactions` to add to: write transactions = [ ] first"));
  }
  comment_out(lines, first, last);
  if (rows != nullptr && is_blocks(lines, *rows)) {
    const std::uint32_t end = last_line(*rows->get(rows->size() - 1));
    lines.at(end) += blocks_text(transactions, lines.ending());
  } else if (rows != nullptr) {
    if (!add_rows(lines, *rows, transactions)) {
      return tl::unexpected(
          std::string("the end of `transactions` was not found: write its ] on a line of its own"));
    }
  } else {
    // none yet: in front of the wants, where [exchange] is open
    std::string& line = lines.at(first);
    line = fmt::format("transactions = [{0}{1}]{0}{2}", lines.ending(),
                       rows_text(transactions, "  ", lines.ending()), line);
  }
  return lines.text();
}

}  // namespace greymet::files
