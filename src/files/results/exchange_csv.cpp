#include <fmt/format.h>

#include "files/csv_text.h"
#include "files/exchange_export.h"
#include "model/duration_text.h"
#include "model/resolved_plan.h"
#include "model/tag_coverage.h"

namespace greymet::files {

using model::ExchangeTransaction;
using model::ResolvedPlan;
using model::TriggerKind;

namespace {

std::string ms_cell(model::Duration d) {
  std::string text = model::in_ms(d);
  return text.substr(0, text.size() - 3);
}

}  // namespace

std::string exchange_csv(const ResolvedPlan& resolved) {
  CsvWriter out;
  out.row({"order",          "name", "controller", "slave",     "unit",        "line",
           "host",           "port", "fc",         "read_area", "read_at",     "read_count",
           "read_reference", "into", "write_area", "write_at",  "write_count", "write_reference",
           "from",           "when", "period_ms",  "phase_ms",  "min_gap_ms",  "trigger",
           "on_loss",        "tags", "fingerprint"});
  const std::string fingerprint = fingerprint_of(resolved);
  const model::TagCoverage tags(resolved);
  std::size_t order = 0;
  for (const ExchangeTransaction& t : resolved.exchange.transactions) {
    const model::MemoryLayout& layout = resolved.layouts[t.controller];
    const model::Endpoint& to = t.endpoint;
    std::vector<std::string> cells{fmt::format("{}", ++order), t.name, layout.controller().name,
                                   resolved.target_name(t.target)};
    cells.push_back(to.unit ? fmt::format("{}", to.unit->value) : "");
    cells.push_back(to.line ? resolved.exchange.lines[*to.line].name : "");
    cells.push_back(to.host);
    cells.push_back(to.connection ? fmt::format("{}", to.port) : "");
    cells.push_back(fmt::format("{}", number_of(t.function)));
    for (const bool is_read : {true, false}) {
      const auto& block = is_read ? t.read : t.write;
      const auto& memory = is_read ? t.into : t.from;
      if (!block) {
        cells.insert(cells.end(), 5, "");
        continue;
      }
      const model::Address address{block->area, {static_cast<std::uint16_t>(block->offset)}};
      cells.emplace_back(short_name(block->area));
      cells.push_back(fmt::format("{}", block->offset));
      cells.push_back(fmt::format("{}", block->quantity));
      cells.push_back(reference6(address));
      cells.push_back(memory ? layout.name_of(*memory) : "");
    }
    const bool cyclic = t.trigger.kind == TriggerKind::cyclic;
    const bool spaced = !cyclic && t.trigger.period > model::Duration{};
    cells.emplace_back(to_string(t.trigger.kind));
    cells.push_back(cyclic ? ms_cell(t.trigger.period) : "");
    cells.push_back(cyclic ? ms_cell(t.trigger.phase) : "");
    cells.push_back(spaced ? ms_cell(t.trigger.period) : "");
    cells.push_back(t.trigger.bit ? layout.name_of(*t.trigger.bit) : "");
    cells.emplace_back(t.on_loss ? to_string(*t.on_loss) : "");
    std::string names;
    for (const auto* memory : {&t.into, &t.from}) {
      if (!*memory) continue;
      for (const std::string& name : tags.names_in(t.controller, (*memory)->bits)) {
        names += (names.empty() ? "" : "; ") + name;
      }
    }
    cells.push_back(std::move(names));
    cells.push_back(fingerprint);
    out.row(cells);
  }
  return out.take();
}

}  // namespace greymet::files
