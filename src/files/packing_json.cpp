#include "files/result_json.h"
#include "json_text.h"

namespace greymet::files {

using internal::dump;
using internal::ms_or_null;
using Json = nlohmann::ordered_json;

namespace {

Json side_json(const packing::PackSide& side) {
  return {{"requests", side.requests},
          {"utilisation_percent", side.utilisation_percent},
          {"response_bound_ms", ms_or_null(side.response_bound)}};
}

}  // namespace

std::string pack_json(const model::ResolvedPlan& resolved, const packing::PackResult& result) {
  Json transactions = Json::array();
  for (const packing::PackedRequest& r : result.requests) {
    transactions.push_back({{"name", r.declared.name},
                            {"slave", r.declared.slave->value},
                            {"fc", r.declared.function->value},
                            {"at", r.at.offset.value},
                            {"count", r.quantity},
                            {"every_ms", model::to_ms(r.every)},
                            {"phase_ms", model::to_ms(r.phase)},
                            {"points", r.points},
                            {"into", r.declared.into->value}});
  }
  Json lines = Json::array();
  for (const packing::PackedLine& line : result.lines) {
    lines.push_back({{"line", line.name},
                     {"before", side_json(line.before)},
                     {"after", side_json(line.after)},
                     {"response_simulated_ms", ms_or_null(line.response_simulated)},
                     {"missed", line.missed}});
  }
  Json problems = Json::array();
  for (const packing::PackProblem& p : result.problems) {
    problems.push_back({{"file", resolved.plan.files[p.place.file]},
                        {"line", p.place.line},
                        {"column", p.place.column},
                        {"subject", p.subject},
                        {"message", p.message},
                        {"remedy", p.remedy}});
  }
  return dump({{"before", side_json(result.before)},
               {"after", side_json(result.after)},
               {"transactions", std::move(transactions)},
               {"lines", std::move(lines)},
               {"least_proved", result.least},
               {"phases_exact", result.phases_exact},
               {"problems", std::move(problems)}});
}

}  // namespace greymet::files
