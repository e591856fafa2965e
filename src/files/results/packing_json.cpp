#include "files/cures.h"
#include "files/json_text.h"
#include "files/result_json.h"
#include "files/source_text.h"
#include "files/table_json.h"
#include "model/resolved_plan.h"
#include "tables/packing_tables.h"

namespace greymet::files {

using Json = nlohmann::ordered_json;

namespace {

Json side_json(const packing::PackSide& side) {
  return {{"requests", side.requests},
          {"utilisation_percent", side.utilisation_percent},
          {"response_bound_ms", ms_or_null(side.response_bound)}};
}

Json state_json(const packing::LineState& state) {
  return {{"utilisation_percent", state.utilisation_percent},
          {"missed", state.missed},
          {"not_guaranteed", state.late},
          {"response_simulated_ms", ms_or_null(state.response_simulated)},
          {"silent_slaves_that_hurt", state.hurtful},
          {"silent_slaves_that_hurt_at_first", state.hurtful_all}};
}

// The change as plain replacements; null where the plan is written in a way they cannot follow.
Json edits_json(const LoadedPlan& loaded, const model::Fix& fix) {
  const auto edits = text_edits(loaded, fix);
  if (!edits) return nullptr;
  Json list = Json::array();
  for (const TextEdit& edit : *edits) {
    const model::Range range =
        SourceText(loaded.sources[edit.file].text).range(edit.begin, edit.end, edit.file);
    list.push_back({{"file", loaded.sources[edit.file].name},
                    {"line", range.line},
                    {"column", range.column},
                    {"end_line", range.end_line},
                    {"end_column", range.end_column},
                    {"text", edit.text}});
  }
  return list;
}

Json raised_json(const std::optional<model::Findings>& raised) {
  if (!raised) return nullptr;
  Json list = Json::array();
  for (const model::Finding& f : *raised) {
    list.push_back({{"rule", to_string(f.rule)},
                    {"severity", to_string(f.severity)},
                    {"subject", to_text(f.subject)},
                    {"message", f.message},
                    {"remedy", f.remedy}});
  }
  return list;
}

}  // namespace

std::string tune_json(const LoadedPlan& loaded, const std::vector<packing::TuneAdvice>& advice) {
  Json lines = Json::array();
  std::size_t number = 0;
  for (const packing::TuneAdvice& each : advice) {
    Json changes = Json::array();
    for (const packing::TuneChange& change : each.changes) {
      changes.push_back({{"number", ++number},
                         {"kind", to_string(change.kind)},
                         {"change", change.text},
                         {"cost", change.cost},
                         {"after", state_json(change.after)},
                         {"edits", edits_json(loaded, change.fix)}});
    }
    lines.push_back({{"line", each.line},
                     {"goal", to_string(each.goal)},
                     {"before", state_json(each.before)},
                     {"tried", each.tried},
                     {"too_many_transactions", each.too_many > 0},
                     {"changes", std::move(changes)}});
  }
  return dump({{"lines", std::move(lines)}});
}

std::string pack_json(const model::ResolvedPlan& resolved, const packing::PackResult& result,
                      const std::optional<model::Findings>& raised) {
  Json lines = Json::array();
  for (const packing::PackedLine& line : result.lines) {
    lines.push_back({{"line", line.name},
                     {"before", side_json(line.before)},
                     {"after", side_json(line.after)},
                     {"response_simulated_ms", ms_or_null(line.response_simulated)},
                     {"missed", line.missed}});
  }
  Json apart = Json::array();
  for (const packing::KeptApart& k : result.kept_apart) {
    Json wants = Json::array();
    for (const std::size_t w : k.wants) wants.push_back(w);
    apart.push_back({{"slave", k.slave.name},
                     {"area", model::short_name(k.area)},
                     {"wants", std::move(wants)},
                     {"more_requests", k.more_requests},
                     {"line_percent", k.line_percent}});
  }
  Json problems = Json::array();
  for (const packing::PackProblem& p : result.problems) {
    problems.push_back({{"file", resolved.plan.files[p.place.file]},
                        {"line", p.place.line},
                        {"column", p.place.column},
                        {"subject", to_text(p.subject)},
                        {"message", p.message},
                        {"remedy", p.remedy}});
  }
  return dump({{"before", side_json(result.before)},
               {"after", side_json(result.after)},
               {"transactions", rows_json(tables::requests_table(result))},
               {"lines", std::move(lines)},
               {"least_proved", result.least},
               {"phases_exact", result.phases_exact},
               {"kept_apart", std::move(apart)},
               {"problems", std::move(problems)},
               {"raises", raised_json(raised)}});
}

}  // namespace greymet::files
