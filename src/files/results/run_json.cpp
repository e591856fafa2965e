#include "files/run_json.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "files/csv_text.h"
#include "files/exchange_export.h"
#include "files/json_text.h"
#include "files/table_json.h"
#include "tables/measured_tables.h"

namespace greymet::files {

using Json = nlohmann::ordered_json;

Json odd_wires_json(const std::vector<engine::OddWire>& wires) {
  Json out = Json::array();
  for (const engine::OddWire& wire : wires) {
    Json counts = Json::object();
    for (const engine::Oddity oddity : engine::all_oddities()) {
      if (wire.counts.of(oddity) > 0)
        counts[std::string(to_string(oddity))] = wire.counts.of(oddity);
    }
    out.push_back({{"wire", wire.name}, {"counts", std::move(counts)}});
  }
  return out;
}

namespace {

Json programs_json(const std::vector<ToldProgram>& programs) {
  Json out = Json::array();
  for (const ToldProgram& each : programs) {
    out.push_back({{"controller", each.controller},
                   {"told", each.told ? Json(fmt::format("{:04X}", *each.told)) : Json(nullptr)},
                   {"wanted", fmt::format("{:04X}", each.wanted)},
                   {"verdict", !each.told        ? "unknown"
                               : each.is_other() ? "another"
                                                 : "this"}});
  }
  return out;
}

}  // namespace

std::string run_json(const model::ResolvedPlan& plan, const timing::TimingReport& report,
                     const RunSummary& summary) {
  return dump({{"fingerprint", fingerprint_of(plan)},
               {"duration_s", model::to_ms(summary.lasted) / 1000},
               {"verdict", to_string(summary.verdict.outcome)},
               {"because", summary.verdict.because},
               {"slaves", rows_json(tables::slaves_table(plan, report, summary.slaves))},
               {"wires", rows_json(tables::wires_table(report, summary.wires))},
               {"transactions", rows_json(tables::measured_table(summary.transactions))},
               {"heartbeats", rows_json(tables::run_heartbeats_table(plan, summary.heartbeats))},
               {"faults", Json::array()},
               {"blocks", Json::array()},
               {"expected", rows_json(tables::expected_table(summary.expected, summary.results))},
               {"programs", programs_json(summary.programs)},
               {"oddities", engine::total_of(summary.odd)},
               {"odd_wires", odd_wires_json(summary.odd)},
               {"lost", summary.lost.empty() ? Json(nullptr) : Json(summary.lost)},
               {"accounted", summary.accounted}});
}

std::string served_json(const tables::Table& expected, bool good) {
  return dump({{"verdict", good ? "passed" : "failed"}, {"expected", rows_json(expected)}});
}

std::string values_csv(const model::ResolvedPlan& plan, const engine::PointValues& points,
                       model::Duration now) {
  CsvWriter csv;
  csv.row({"where", "value", "unit", "raw", "age_s", "transaction"});
  for (const engine::PointValue& value : points.values()) {
    const model::Point& point = points.point_of(value);
    std::string raw;
    for (const std::uint16_t word : value.words) {
      raw += fmt::format("{}{:04X}", raw.empty() ? "" : " ", word);
    }
    const bool read = !value.words.empty();
    csv.row({fmt::format("{}.{}", plan.plan.slaves[value.slave].name, point.name),
             read ? points.text(value) : "", point.unit, raw,
             read ? fmt::format("{:.3f}", model::to_ms(now - value.at) / 1000) : "",
             plan.exchange.find(value.transaction)->name});
  }
  return csv.take();
}

}  // namespace greymet::files
