#include "files/plan_rewrite.h"

#include <algorithm>
#include <map>

#include <fmt/format.h>

#include "files/source_text.h"
#include "files/toml_reader.h"
#include "files/toml_scan.h"
#include "model/duration_text.h"
#include "model/plan.h"
#include "model/toml_text.h"

namespace greymet::files {
namespace {

constexpr std::string_view mark = "# packed: ";

// Key and value pairs of a transaction, in the order of a row.
std::vector<std::pair<std::string, std::string>> cells_of(const model::Transaction& t) {
  std::vector<std::pair<std::string, std::string>> cells;
  cells.emplace_back("name", model::toml_string(t.name));
  if (t.controller) cells.emplace_back("controller", model::toml_string(t.controller->value));
  if (t.slave) cells.emplace_back("slave", model::toml_string(t.slave->value));
  if (t.function) cells.emplace_back("fc", fmt::format("{}", t.function->value));
  if (t.block.at) {
    const model::AddressText& at = t.block.at->value;
    cells.emplace_back("at", at.digits_are_plain ? at.text : model::toml_string(at.text));
  }
  if (t.block.count) cells.emplace_back("count", fmt::format("{}", t.block.count->value));
  if (t.into) cells.emplace_back("into", model::toml_string(t.into->value));
  if (t.from) cells.emplace_back("from", model::toml_string(t.from->value));
  if (t.packing)
    cells.emplace_back("packing",
                       model::toml_string(std::string(model::to_string(t.packing->value))));
  if (t.every)
    cells.emplace_back("every", model::toml_string(model::to_text(t.every->value.period)));
  if (t.on) cells.emplace_back("on", model::toml_string(t.on->value));
  if (t.min_gap)
    cells.emplace_back("min_gap", model::toml_string(model::to_text(t.min_gap->value)));
  if (t.only_if) cells.emplace_back("only_if", model::toml_string(t.only_if->value));
  if (t.phase) cells.emplace_back("phase", model::toml_string(model::to_text(t.phase->value)));
  if (t.phase_step) {
    cells.emplace_back("phase_step", model::toml_string(model::to_text(t.phase_step->value)));
  }
  if (t.alone) cells.emplace_back("alone", t.alone->value ? "true" : "false");
  if (t.on_loss) {
    cells.emplace_back("on_loss",
                       model::toml_string(std::string(model::to_string(t.on_loss->value))));
  }
  return cells;
}

// Insertions into one text, at its own byte positions.
class Edits {
 public:
  explicit Edits(std::string_view text) : text_(text) {}
  void insert(std::size_t at, std::string what) { inserts_.emplace(at, std::move(what)); }
  [[nodiscard]] std::string result() const {
    std::string text;
    std::size_t at = 0;
    for (const auto& [position, what] : inserts_) {
      text += text_.substr(at, position - at);
      text += what;
      at = position;
    }
    text += text_.substr(at);
    return text;
  }

 private:
  std::string_view text_;
  std::multimap<std::size_t, std::string> inserts_;
};

// What the scan knows of [exchange]: its lists, as rows or as blocks.
struct ExchangeText {
  const TomlNode* header = nullptr;  // [exchange]
  const TomlNode* transactions = nullptr;
  const TomlNode* wants = nullptr;
  std::vector<Span> transaction_blocks;  // header to last pair
  std::vector<Span> want_blocks;
  std::size_t end_of_pairs = 0;  // of [exchange] itself
};

ExchangeText exchange_of(std::string_view text, const std::vector<TomlNode>& nodes) {
  const auto part = [text](const Span& span) {
    return text.substr(span.begin, span.end - span.begin);
  };
  ExchangeText out;
  bool inside = false;
  std::vector<Span>* block = nullptr;
  for (const TomlNode& node : nodes) {
    if (node.kind == TomlKind::pair) {
      if (block != nullptr) block->back().end = node.whole.end;
      if (!inside) continue;
      out.end_of_pairs = node.whole.end;
      if (part(node.key) == "transactions") out.transactions = &node;
      if (part(node.key) == "wants") out.wants = &node;
      continue;
    }
    const std::string_view name = part(node.key);
    const bool array = node.kind == TomlKind::array_header;
    inside = !array && name == "exchange";
    if (inside) {
      out.header = &node;
      out.end_of_pairs = node.whole.end;
    }
    block = !array                            ? nullptr
            : name == "exchange.transactions" ? &out.transaction_blocks
            : name == "exchange.wants"        ? &out.want_blocks
                                              : nullptr;
    if (block != nullptr) block->push_back(node.whole);
  }
  return out;
}

std::string blocks_text(const std::vector<model::Transaction>& transactions,
                        std::string_view ending) {
  std::string text;
  for (const model::Transaction& t : transactions) {
    text += fmt::format("{0}{0}[[exchange.transactions]]", ending);
    for (const auto& [key, value] : cells_of(t)) {
      text += fmt::format("{}{:<8} = {}", ending, key, value);
    }
  }
  return text;
}

std::string rows_text(const std::vector<model::Transaction>& transactions, std::string_view indent,
                      std::string_view ending) {
  std::string text;
  for (const model::Transaction& t : transactions) {
    text += fmt::format("{}{},{}", indent, transaction_row(t), ending);
  }
  return text;
}

std::size_t line_start(std::string_view text, std::size_t at) {
  const std::size_t before = at == 0 ? std::string_view::npos : text.rfind('\n', at - 1);
  return before == std::string_view::npos ? 0 : before + 1;
}

// The end of the line around a byte, line break left out.
std::size_t line_end(std::string_view text, std::size_t at) {
  const std::size_t end = std::min(text.find('\n', at), text.size());
  return end > at && text[end - 1] == '\r' ? end - 1 : end;
}

// Adds rows before the bracket that closes the list.
bool add_rows(std::string_view text, const TomlNode& list, std::string_view ending,
              const std::vector<model::Transaction>& transactions, Edits& edits) {
  const std::size_t bracket = list.value.end - 1;
  if (list.value.empty() || text[bracket] != ']') return false;
  std::string indent = "  ";
  if (!list.parts.empty()) {
    const Span last = list.parts.back().whole;
    const std::size_t first = line_start(text, last.begin);
    const std::string_view before = text.substr(first, last.begin - first);
    if (before.find_first_not_of(" \t") == std::string_view::npos) indent = before;
    // is there a comma between the last row and the bracket, comments aside?
    bool comma = false;
    for (std::size_t at = last.end; at < bracket && !comma; ++at) {
      if (text[at] == '#') at = text.find('\n', at);
      comma = text[at] == ',';
    }
    if (!comma) edits.insert(last.end, ",");
  }
  const std::size_t first = line_start(text, bracket);
  const bool own_line =
      first > list.value.begin &&
      text.substr(first, bracket - first).find_first_not_of(" \t") == std::string_view::npos;
  const std::string rows = rows_text(transactions, indent, ending);
  edits.insert(own_line ? first : bracket, own_line ? rows : std::string(ending) + rows);
  return true;
}

// Marks each line that the stretch touches, but for blank lines and comments.
void comment_out(std::string_view text, const Span& span, Edits& edits) {
  for (std::size_t at = line_start(text, span.begin); at < span.end;) {
    const std::size_t end = std::min(text.find('\n', at), text.size());
    const std::size_t first = text.find_first_not_of(" \t\r\n", at);
    if (first < end && text[first] != '#') edits.insert(first, std::string(mark));
    at = end + 1;
  }
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
  const std::vector<TomlNode> nodes = scan_toml(plan);
  const ExchangeText exchange = exchange_of(plan, nodes);
  if (exchange.wants == nullptr && exchange.want_blocks.empty()) {
    if (exchange.header != nullptr || !exchange.transaction_blocks.empty())
      return std::string(plan);
    return tl::unexpected(std::string("[exchange] is not a table of its own: write it as one"));
  }
  const std::string_view ending = line_ending(plan);
  Edits edits(plan);
  if (!exchange.transaction_blocks.empty()) {
    edits.insert(line_end(plan, exchange.transaction_blocks.back().end),
                 blocks_text(transactions, ending));
  } else if (exchange.transactions != nullptr) {
    if (!add_rows(plan, *exchange.transactions, ending, transactions, edits)) {
      return tl::unexpected(
          std::string("the end of `transactions` was not found: write its ] on a line of its own"));
    }
  } else if (exchange.wants != nullptr) {
    // none yet: in front of the wants, where [exchange] is open
    edits.insert(
        line_start(plan, exchange.wants->whole.begin),
        fmt::format("transactions = [{0}{1}]{0}", ending, rows_text(transactions, "  ", ending)));
  } else {
    return tl::unexpected(
        std::string("there are no `transactions` to add to: write transactions = [ ] first"));
  }
  if (exchange.wants != nullptr) comment_out(plan, exchange.wants->whole, edits);
  for (const Span& block : exchange.want_blocks) comment_out(plan, block, edits);
  return edits.result();
}

bool differs_only_by_packing(std::string_view before, std::string_view after,
                             const std::vector<model::Transaction>& transactions) {
  model::Findings ignored;
  auto old_tree = read_toml(std::string(before), 0, ignored);
  const auto new_tree = read_toml(std::string(after), 0, ignored);
  if (!old_tree || !new_tree) return false;
  Value& exchange = old_tree->table_at("exchange", {});
  std::erase_if(exchange.entries, [](const Entry& entry) { return entry.key == "wants"; });
  const auto list = std::find_if(exchange.entries.begin(), exchange.entries.end(),
                                 [](const Entry& entry) { return entry.key == "transactions"; });
  Value rows;
  rows.kind = ValueKind::array;
  if (list != exchange.entries.end()) {
    rows = std::move(list->value);
    exchange.entries.erase(list);
  }
  for (const model::Transaction& t : transactions) {
    auto row = read_toml("row = " + transaction_row(t), 0, ignored);
    if (!row || row->entries.size() != 1) return false;
    rows.items.push_back(std::move(row->entries.front().value));
  }
  exchange.entries.push_back({"transactions", {}, std::move(rows)});
  return same_value(*old_tree, *new_tree);
}

}  // namespace greymet::files
