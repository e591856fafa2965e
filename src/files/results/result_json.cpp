#include "files/result_json.h"

#include <nlohmann/json.hpp>

#include "checks/check.h"
#include "checks/not_judged.h"
#include "files/exchange_export.h"
#include "files/json_text.h"
#include "model/duration_text.h"
#include "model/resolved_plan.h"
#include "supervision_json.h"

namespace greymet::files {

using Json = nlohmann::ordered_json;

namespace {

Json place_json(const LoadedPlan& loaded, const model::Range& place, std::string_view text) {
  return {{"file", loaded.sources[place.file].name},
          {"line", place.line},
          {"column", place.column},
          {"text", text}};
}

// Simulated over bound: 1 where the bound is met.
Json tightness_json(const timing::TransactionReport& t) {
  if (!t.response_simulated || !t.response_bound || *t.response_bound <= timing::Duration{}) {
    return nullptr;
  }
  return static_cast<double>(t.response_simulated->count()) /
         static_cast<double>(t.response_bound->count());
}

}  // namespace

namespace {

Json fixes_json(const LoadedPlan& loaded, const model::Finding& f) {
  Json fixes = Json::array();
  for (const model::Fix& fix : f.fixes) {
    Json edits = Json::array();
    for (const model::Edit& edit : fix.edits) {
      edits.push_back({{"file", loaded.sources[edit.range.file].name},
                       {"line", edit.range.line},
                       {"column", edit.range.column},
                       {"end_line", edit.range.end_line},
                       {"end_column", edit.range.end_column},
                       {"text", edit.text}});
    }
    fixes.push_back({{"title", fix.title}, {"edits", std::move(edits)}, {"certain", fix.certain}});
  }
  return fixes;
}

}  // namespace

std::string findings_json(const LoadedPlan& loaded, const model::Findings& findings) {
  Json list = Json::array();
  for (const model::Finding& f : findings) {
    Json related = Json::array();
    for (const model::Related& r : f.related)
      related.push_back(place_json(loaded, r.place, r.text));
    list.push_back({{"rule", to_string(f.rule)},
                    {"severity", to_string(f.severity)},
                    {"file", loaded.sources[f.place.file].name},
                    {"line", f.place.line},
                    {"column", f.place.column},
                    {"end_line", f.place.end_line},
                    {"end_column", f.place.end_column},
                    {"subject", to_text(f.subject)},
                    {"message", f.message},
                    {"remedy", f.remedy},
                    {"related", std::move(related)},
                    {"fixes", fixes_json(loaded, f)}});
  }
  Json unjudged = Json::array();
  for (const checks::NotJudged& each : checks::not_judged(loaded.plan)) {
    unjudged.push_back({{"what", each.what},
                        {"subjects", each.subjects},
                        {"because", each.because},
                        {"add", each.add}});
  }
  const checks::Tally tally = checks::tally_of(findings);
  return dump({{"findings", std::move(list)},
               {"errors", tally.errors},
               {"warnings", tally.warnings},
               {"notes", tally.notes},
               {"not_judged", std::move(unjudged)}});
}

std::string timing_json(const model::ResolvedPlan& resolved, const timing::TimingReport& report) {
  Json lines = Json::array();
  for (const timing::LineReport& line : report.lines) {
    Json transactions = Json::array();
    for (const timing::TransactionReport& t : line.transactions) {
      transactions.push_back(
          {{"name", t.name},
           {"function", t.function},
           {"request_bytes", t.request_bytes},
           {"reply_bytes", t.reply_bytes},
           {"typical_ms", model::to_ms(t.typical)},
           {"longest_ms", model::to_ms(t.longest)},
           {"period_ms", ms_or_null(t.period)},
           {"response_bound_ms", ms_or_null(t.response_bound)},
           {"response_bound_any_phase_ms", ms_or_null(t.response_bound_any_phase)},
           {"response_simulated_ms", ms_or_null(t.response_simulated)},
           {"interval_bound_ms", ms_or_null(t.interval_bound)},
           {"missed", t.missed},
           {"silent_ms", ms_or_null(t.silent)},
           {"shortest_ms", model::to_ms(t.shortest)},
           {"exception_ms", model::to_ms(t.exception)},
           {"failed_attempt_ms", ms_or_null(t.failed_attempt)},
           {"default_reply", t.default_reply},
           {"tightness", tightness_json(t)}});
    }
    lines.push_back({{"line", line.name},
                     {"master", line.master.empty() ? Json(nullptr) : Json(line.master)},
                     {"utilisation_percent", line.utilisation_percent},
                     {"character_ms", line.character_ms ? Json(*line.character_ms) : Json(nullptr)},
                     {"gap_ms", ms_or_null(line.gap)},
                     {"round_ms", ms_or_null(line.round)},
                     {"simulation_complete", line.simulation_complete},
                     {"transactions", std::move(transactions)}});
  }
  return dump({{"fingerprint", fingerprint_of(resolved)},
               {"lines", std::move(lines)},
               {"heartbeats", internal::heartbeats_json(report)},
               {"paths", internal::paths_json(resolved, report)},
               {"tag_ages", internal::tag_ages_json(report)},
               {"silent_slaves", internal::silent_slaves_json(resolved, report)},
               {"silent_pairs", internal::silent_pairs_json(resolved, report)},
               {"silent_left_out", report.silence.left_out},
               {"frame_error_rate", report.frame_error_rate}});
}

}  // namespace greymet::files
