#include "files/run_json.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "files/csv_text.h"
#include "files/exchange_export.h"
#include "files/json_text.h"

namespace greymet::files {

using Json = nlohmann::ordered_json;

namespace {

Json transaction_of_run(const engine::RunTransaction& t) {
  const engine::TransactionMeasure& m = t.measure;
  Json out{{"name", t.name},
           {"sent", m.sent},
           {"good", m.good},
           {"exceptions", m.exceptions},
           {"timeouts", m.timeouts},
           {"bad", m.bad},
           {"unfinished", m.unfinished},
           {"dropped", m.dropped},
           {"missed", t.missed},
           {"response_min_ms", ms_or_null(m.responses.least())},
           {"response_mean_ms", nullptr},
           {"response_median_ms", ms_or_null(m.responses.median())},
           {"response_p99_ms", ms_or_null(m.responses.quantile(0.99))},
           {"response_max_ms", ms_or_null(m.responses.greatest())},
           {"duration_median_ms", ms_or_null(m.services.median())},
           {"predicted_ms", ms_or_null(t.predicted)},
           {"bound_ms", ms_or_null(t.bound)},
           {"last_exception", nullptr},
           {"left_out", t.why_left_out.empty() ? Json(nullptr) : Json(t.why_left_out)},
           {"verdict", to_string(t.verdict)}};
  if (const auto mean = m.responses.mean_ms()) out["response_mean_ms"] = *mean;
  if (m.last_exception) out["last_exception"] = *m.last_exception;
  return out;
}

}  // namespace

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

std::string run_json(const model::ResolvedPlan& plan, const RunSummary& summary) {
  Json transactions = Json::array();
  for (const auto& t : summary.transactions) transactions.push_back(transaction_of_run(t));
  Json expected = Json::array();
  for (std::size_t i = 0; i < summary.expected.size(); ++i) {
    const engine::Expectation& e = summary.expected[i];
    const engine::ExpectationResult& result = summary.results[i];
    Json row{{"where", e.where},
             {"expected", nullptr},
             {"tolerance", e.tolerance},
             {"within_ms", ms_or_null(e.within)},
             {"found", result.found},
             {"met_after_ms", ms_or_null(result.met)},
             {"verdict", result.good ? "met" : "not met"}};
    if (e.value) row["expected"] = *e.value;
    if (e.text) row["expected"] = *e.text;
    expected.push_back(std::move(row));
  }
  return dump({{"fingerprint", fingerprint_of(plan)},
               {"duration_s", model::to_ms(summary.lasted) / 1000},
               {"verdict", summary.passed ? "passed" : "failed"},
               {"transactions", std::move(transactions)},
               {"heartbeats", Json::array()},
               {"faults", Json::array()},
               {"blocks", Json::array()},
               {"expected", std::move(expected)},
               {"oddities", engine::total_of(summary.odd)},
               {"odd_wires", odd_wires_json(summary.odd)},
               {"lost", summary.lost.empty() ? Json(nullptr) : Json(summary.lost)},
               {"accounted", summary.accounted}});
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
