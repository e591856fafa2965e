#include "files/result_json.h"

#include <nlohmann/json.hpp>

#include "checks/check.h"
#include "files/exchange_export.h"
#include "files/json_text.h"
#include "files/table_json.h"
#include "model/duration_text.h"
#include "model/resolved_plan.h"
#include "supervision_json.h"
#include "tables/plan_tables.h"
#include "tables/timing_tables.h"

namespace greymet::files {

using Json = nlohmann::ordered_json;

namespace {

Json place_json(const LoadedPlan& loaded, const model::Range& place, std::string_view text) {
  return {{"file", loaded.sources[place.file].name},
          {"line", place.line},
          {"column", place.column},
          {"text", text}};
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
    fixes.push_back({{"title", fix.title},
                     {"edits", std::move(edits)},
                     {"certain", fix.certain},
                     {"question", fix.is_question}});
  }
  return fixes;
}

}  // namespace

std::vector<std::string> source_names(const LoadedPlan& loaded) {
  std::vector<std::string> names;
  for (const auto& source : loaded.sources) names.push_back(source.name);
  return names;
}

std::string findings_json(const LoadedPlan& loaded, const model::Findings& findings) {
  Json list = rows_json(tables::findings_table(source_names(loaded), findings));
  for (std::size_t i = 0; i < findings.size(); ++i) {
    const model::Finding& f = findings[i];
    Json related = Json::array();
    for (const model::Related& r : f.related)
      related.push_back(place_json(loaded, r.place, r.text));
    list[i]["end_line"] = f.place.end_line;
    list[i]["end_column"] = f.place.end_column;
    list[i]["related"] = std::move(related);
    list[i]["fixes"] = fixes_json(loaded, f);
    Json explains = Json::array();
    for (const model::Finding& each : f.explains) {
      explains.push_back({{"rule", to_string(each.rule)},
                          {"severity", to_string(each.severity)},
                          {"subject", to_text(each.subject)},
                          {"message", each.message}});
    }
    list[i]["explains"] = std::move(explains);
  }
  const checks::Tally tally = checks::tally_of(findings);
  return dump({{"findings", std::move(list)},
               {"errors", tally.errors},
               {"warnings", tally.warnings},
               {"notes", tally.notes},
               {"not_judged", rows_json(tables::not_judged_table(loaded.plan))},
               {"assumed", rows_json(tables::assumed_table(loaded.plan))},
               {"measured", rows_json(tables::measured_facts_table(loaded.plan))}});
}

std::string timing_json(const model::ResolvedPlan& resolved, const timing::TimingReport& report) {
  const tables::Table table = tables::timing_table(report);
  std::size_t first = 0;
  Json lines = rows_json(tables::lines_table(report));
  for (std::size_t i = 0; i < report.lines.size(); ++i) {
    const std::size_t end = first + report.lines[i].transactions.size();
    lines[i]["transactions"] = rows_json(table, first, end);
    first = end;
  }
  return dump({{"fingerprint", fingerprint_of(resolved)},
               {"lines", std::move(lines)},
               {"heartbeats", rows_json(tables::heartbeats_table(report))},
               {"paths", internal::paths_json(resolved, report)},
               {"tag_ages", rows_json(tables::tag_ages_table(report))},
               {"silent_slaves", internal::silent_slaves_json(resolved, report)},
               {"silent_pairs", internal::silent_pairs_json(resolved, report)},
               {"silent_left_out", report.silence.left_out},
               {"frame_error_rate", report.frame_error_rate}});
}

}  // namespace greymet::files
