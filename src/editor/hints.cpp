#include <algorithm>
#include <functional>
#include <map>

#include <fmt/format.h>

#include "editor/features.h"
#include "editor/roles.h"
#include "markdown.h"
#include "modbus/planned_frames.h"
#include "model/duration_text.h"
#include "model/facts.h"

namespace greymet::editor {

using files::Span;

namespace {

// Facts of devices and of the way to them: what is measured. All others are settings.
bool is_of_the_plant(model::FactKind kind) {
  return kind <= model::FactKind::latency;
}

class HintWriter {
 public:
  HintWriter(const PlanView& view, std::uint32_t file, const Span& span)
      : view_(view), file_(file), span_(span) {}

  std::vector<InlayHint> run() {
    if (file_ == 0) {
      of_plan();
    } else {
      rows_of_table();
    }
    std::stable_sort(out_.begin(), out_.end(),
                     [](const InlayHint& a, const InlayHint& b) { return a.byte < b.byte; });
    return std::move(out_);
  }

 private:
  void of_plan() {
    for (const TableText& table : view_.plan_text().tables()) {
      if (table.whole.begin > span_.end || table.whole.end < span_.begin) continue;
      if (table.path == "exchange.transactions") row(table);
      if (table.path == "exchange.transactions.read") half(table, true);
      if (table.path == "exchange.transactions.write") half(table, false);
      if (table.path == "line.*") use_of_line(table);
    }
    facts();
  }

  void add(std::size_t byte, std::string text, std::string more = {}) {
    if (byte < span_.begin || byte > span_.end) return;
    out_.push_back({byte, std::move(text), std::move(more)});
  }

  [[nodiscard]] std::size_t end_of_line(std::size_t byte) const {
    const std::string_view text = view_.lines(file_).text();
    std::size_t end = std::min(text.find('\n', byte), text.size());
    while (end > byte && (text[end - 1] == '\r' || text[end - 1] == ' ')) --end;
    return end;
  }

  // Where the value of a key stands; nothing where it is left out.
  using ValueOf = std::function<std::optional<Span>(std::string_view key)>;
  [[nodiscard]] ValueOf values_of(const TableText& table) const {
    return [this, &table](std::string_view key) -> std::optional<Span> {
      const KeyText* const at = view_.plan_text().find(table, key);
      return at == nullptr ? std::nullopt : std::optional(at->value);
    };
  }

  void row(const TableText& table) {
    const auto own = view_.transactions_in(0, table.whole);
    if (own.empty()) return;
    const model::ResolvedTransaction& t = view_.plan().transactions[own.front()];
    values(values_of(table), t);
    durations(end_of_line(table.whole.end), own);
  }

  void values(const ValueOf& value_of, const model::ResolvedTransaction& t) {
    const auto& block = t.read ? t.read : t.write;
    device(value_of("at"), block);
    device(value_of("points"), block);
    memory(value_of("into"), t, t.into);
    memory(value_of("from"), t, t.from);
  }

  // `read` and `write` of function 23.
  void half(const TableText& table, bool is_read) {
    const auto own = view_.transactions_in(0, view_.row_of(table).whole);
    if (own.empty()) return;
    half(values_of(table), view_.plan().transactions[own.front()], is_read);
  }

  void half(const ValueOf& value_of, const model::ResolvedTransaction& t, bool is_read) {
    device(value_of("at"), is_read ? t.read : t.write);
    device(value_of("points"), is_read ? t.read : t.write);
    memory(value_of(is_read ? "into" : "from"), t, is_read ? t.into : t.from);
  }

  // Rows of a table of transactions.
  void rows_of_table() {
    const files::CsvTable* const table = view_.table(file_);
    if (table == nullptr) return;
    for (std::size_t row = 0; row < table->rows.size(); ++row) {
      const auto& cells = table->rows[row];
      if (cells.empty()) continue;
      const Span whole{view_.span_of_cell(file_, cells.front()).begin,
                       view_.span_of_cell(file_, cells.back()).end};
      if (whole.begin > span_.end || whole.end < span_.begin) continue;
      const auto own = view_.transactions_in(file_, whole);
      if (own.empty()) continue;
      const auto below = [&](const std::string& prefix) -> ValueOf {
        return [this, row, prefix](std::string_view key) -> std::optional<Span> {
          const auto cell = view_.cell_of(file_, row, prefix + std::string(key));
          return cell && !cell->text.empty() ? std::optional(cell->span) : std::nullopt;
        };
      };
      const model::ResolvedTransaction& t = view_.plan().transactions[own.front()];
      values(below(""), t);
      half(below("read."), t, true);
      half(below("write."), t, false);
      durations(end_of_line(whole.end), own);
    }
  }

  void device(const std::optional<Span>& value, const std::optional<model::DeviceBlock>& block) {
    if (!value || !block || block->notation == model::Notation::explicit_offset) return;
    add(value->end, " " + model::range_text(block->area, block->extent()));
  }

  void memory(const std::optional<Span>& value, const model::ResolvedTransaction& t,
              const std::optional<model::MemoryRange>& range) {
    if (!value || !range || !t.controller) return;
    const std::string name = view_.plan().layouts[*t.controller].name_of(*range);
    const std::size_t dots = name.find("..");
    if (range->assigned) {
      add(value->end, " " + name);
    } else if (dots != std::string::npos) {
      add(value->end, name.substr(dots));
    }
  }

  void durations(std::size_t end, const std::vector<std::size_t>& own) {
    const auto& timing = view_.reading().timing;
    if (!timing) return;
    if (reports_.empty()) {
      for (const timing::LineReport& line : timing->lines) {
        for (const timing::TransactionReport& t : line.transactions) {
          reports_[t.transaction] = &t;
        }
      }
    }
    const auto at = reports_.find(own.front());
    if (at == reports_.end()) return;
    // what no request carries has no time
    const model::ExchangeTransaction* const t = view_.plan().exchange.find(own.front());
    if (t == nullptr || !modbus::planned_frames(*t)) return;
    const timing::TransactionReport& report = *at->second;
    std::string words = fmt::format("  {} ms", model::ms_at_most(report.longest));
    if (report.response_bound) {
      words += fmt::format(", answered within {} ms", model::ms_at_most(*report.response_bound));
    }
    if (own.size() > 1) words += fmt::format(", {} times", own.size());
    add(end, std::move(words), transaction_markdown(view_, own.front()));
  }

  void use_of_line(const TableText& table) {
    const auto& timing = view_.reading().timing;
    if (!timing || table.names.empty()) return;
    for (const timing::LineReport& line : timing->lines) {
      if (line.name != table.names.front().name) continue;
      add(end_of_line(table.head.end), fmt::format("  {:.1f} % used", line.utilisation_percent));
      return;
    }
  }

  // What is assumed, or was measured, at the end of the line in which its owner begins.
  void facts() {
    struct Told {
      std::string assumed;
      std::string settles;
      std::string measured;
      std::string more;
    };
    std::map<std::pair<std::uint32_t, std::uint32_t>, Told> by_line;
    std::map<std::pair<std::uint32_t, std::uint32_t>, std::pair<model::FactOwner, std::size_t>>
        owners;
    for (const model::Fact& fact : view_.plan().exchange.ledger.facts()) {
      if (fact.basis == model::Basis::stated || !is_of_the_plant(fact.id.kind)) continue;
      if (fact.place.file != 0 || fact.place.line == 0) continue;
      const model::FactTraits& traits = model::traits_of(fact.id.kind);
      const auto value = model::fact_text(fact.id.kind, fact.value);
      const std::pair key(fact.place.line, fact.place.column);
      // of slaves that are written once the first one speaks
      const auto owner =
          owners.try_emplace(key, std::pair(fact.id.owner, fact.id.index)).first->second;
      if (owner != std::pair(fact.id.owner, fact.id.index)) continue;
      Told& told = by_line[key];
      if (fact.basis == model::Basis::measured) {
        told.measured +=
            fmt::format("{}{} {}", told.measured.empty() ? "" : "; ", traits.key, value);
        told.more += fmt::format(
            "- {} {}: measured, from {} of {}\n", internal::as_code(traits.key), value,
            internal::as_words(view_.plan().plan.measured.source), view_.reading().measured_on);
        continue;
      }
      // what is usually nothing is told to who asks
      const auto* const duration = std::get_if<model::Duration>(&fact.value);
      const bool is_nothing = duration != nullptr && *duration == model::Duration{};
      if (!traits.optimistic && !is_nothing) {
        std::string settles(traits.settle);
        std::erase(settles, '`');
        if (told.settles.find(settles) == std::string::npos) {
          told.settles += fmt::format("{}{}", told.settles.empty() ? "" : "; ", settles);
        }
        told.assumed += fmt::format("{}{} {}", told.assumed.empty() ? "" : "; ", traits.key, value);
      }
      told.more +=
          fmt::format("- {} {}: assumed, as {}. {}: {}\n", internal::as_code(traits.key), value,
                      internal::as_words(traits.why), internal::as_words(traits.settle),
                      internal::as_code(traits.example));
    }
    for (const auto& [place, told] : by_line) {
      std::string words;
      if (!told.measured.empty()) {
        words += fmt::format("  measured {}: {}", view_.reading().measured_on, told.measured);
      }
      if (!told.assumed.empty()) {
        words += fmt::format("  assumed: {} ({})", told.assumed, told.settles);
      }
      if (words.empty()) continue;
      const std::size_t begin = view_.lines(0).offset(place.first, place.second);
      add(end_of_line(begin), std::move(words), told.more);
    }
  }

  const PlanView& view_;
  std::uint32_t file_ = 0;
  Span span_;
  std::vector<InlayHint> out_;
  std::map<std::size_t, const timing::TransactionReport*> reports_;
};

// Rows of a map: the address as a manual of the slave prints it, and where the value ends.
std::vector<InlayHint> hints_of_map(const PlanView& view, std::uint32_t file, const Span& span) {
  std::vector<InlayHint> out;
  const files::CsvTable* const table = view.table(file);
  const model::RegisterMap* const map = view.map_in(file);
  if (table == nullptr || map == nullptr) return out;
  std::size_t column = table->header.size();
  for (std::size_t i = 0; i < table->header.size(); ++i) {
    if (table->header[i].text == "address") column = i;
  }
  std::size_t row = 0;
  for (const model::Point& point : map->points()) {
    while (row < table->rows.size() && table->rows[row].front().place.line < point.place.line) {
      ++row;
    }
    if (row == table->rows.size()) break;
    if (column >= table->rows[row].size()) continue;
    const Span cell = view.span_of_cell(file, table->rows[row][column]);
    if (cell.end < span.begin || cell.begin > span.end) continue;
    out.push_back(
        {cell.end, " " + model::range_text(point.address.area, model::extent_of(point)), {}});
  }
  return out;
}

}  // namespace

std::vector<InlayHint> hints_in(const PlanView& view, std::uint32_t file, const Span& span) {
  if (view.table_kind(file) == TableKind::map) return hints_of_map(view, file, span);
  if (!view.reading().is_plan) return {};
  const bool has_rows = view.table_kind(file) == TableKind::transactions;
  if (file != 0 && !has_rows) return {};
  return HintWriter(view, file, span).run();
}

}  // namespace greymet::editor
