#include "files/findings_sarif.h"

#include <algorithm>
#include <map>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "checks/catalogue.h"
#include "files/json_text.h"
#include "model/ascii_text.h"

namespace greymet::files {

using Json = nlohmann::ordered_json;
using model::RuleCode;
using model::Severity;

namespace {

// SARIF 2.1.0, section 3.27.10
std::string_view level_of(Severity severity) {
  switch (severity) {
    case Severity::error: return "error";
    case Severity::warning: return "warning";
    case Severity::note: return "note";
  }
  return "none";
}

// A path as a URI reference (RFC 3986): all but unreserved characters and slashes are escaped.
std::string uri_of(std::string_view path) {
  std::string uri = path.starts_with('/') ? "file://" : "";
  for (char c : path) {
    const bool unreserved = model::is_letter(c) || model::is_digit(c) || c == '-' || c == '.' ||
                            c == '_' || c == '~' || c == '/';
    uri += unreserved
               ? std::string(1, c)
               : fmt::format("%{:02X}", static_cast<unsigned>(static_cast<unsigned char>(c)));
  }
  return uri;
}

Json location_json(const LoadedPlan& loaded, const model::Range& place) {
  Json physical{{"artifactLocation",
                 {{"uri", uri_of(loaded.sources[place.file].name)}, {"index", place.file}}}};
  // line 0 is the file as a whole: a location without a region
  if (place.line > 0) {
    physical["region"] = {{"startLine", place.line},
                          {"startColumn", std::max<std::uint32_t>(1, place.column)}};
  }
  return {{"physicalLocation", std::move(physical)}};
}

Json rule_json(const checks::RuleEntry& entry) {
  Json rule{{"id", to_string(entry.code)},
            {"shortDescription", {{"text", entry.title}}},
            {"fullDescription", {{"text", entry.why}}},
            {"help",
             {{"text", fmt::format("{}\n\nWrong:\n{}\n\nRight:\n{}", entry.remedy, entry.wrong,
                                   entry.right)}}},
            {"defaultConfiguration", {{"level", level_of(entry.severity)}}},
            {"properties", {{"family", checks::family_of(entry.code).title}}}};
  if (!entry.clause.empty()) rule["properties"]["clause"] = entry.clause;
  return rule;
}

// SARIF 2.1.0, sections 3.55 to 3.57; edits are plain replacements here
Json fixes_sarif(const LoadedPlan& loaded, const model::Finding& f) {
  Json fixes = Json::array();
  for (const model::Fix& fix : f.fixes) {
    std::map<std::uint32_t, Json> by_file;
    for (const model::Edit& edit : fix.edits) {
      Json& replacements = by_file.try_emplace(edit.range.file, Json::array()).first->second;
      replacements.push_back({{"deletedRegion",
                               {{"startLine", edit.range.line},
                                {"startColumn", edit.range.column},
                                {"endLine", edit.range.end_line},
                                {"endColumn", edit.range.end_column}}},
                              {"insertedContent", {{"text", edit.text}}}});
    }
    Json changes = Json::array();
    for (auto& [file, replacements] : by_file) {
      changes.push_back(
          {{"artifactLocation", {{"uri", uri_of(loaded.sources[file].name)}, {"index", file}}},
           {"replacements", std::move(replacements)}});
    }
    fixes.push_back(
        {{"description", {{"text", fix.title}}}, {"artifactChanges", std::move(changes)}});
  }
  return fixes;
}

Json result_json(const LoadedPlan& loaded, const model::Finding& f, std::size_t rule_index) {
  Json location = location_json(loaded, f.place);
  location["logicalLocations"] = Json::array({{{"fullyQualifiedName", to_text(f.subject)}}});
  std::string text = fmt::format("{}: {}", f.subject, f.message);
  if (!f.remedy.empty()) text += fmt::format(". Remedy: {}", f.remedy);
  Json result{{"ruleId", to_string(f.rule)},
              {"ruleIndex", rule_index},
              {"level", level_of(f.severity)},
              {"message", {{"text", std::move(text)}}},
              {"locations", Json::array({std::move(location)})}};
  Json related = Json::array();
  for (std::size_t i = 0; i < f.related.size(); ++i) {
    Json each = location_json(loaded, f.related[i].place);
    each["id"] = i;
    each["message"] = {{"text", f.related[i].text}};
    related.push_back(std::move(each));
  }
  if (!related.empty()) result["relatedLocations"] = std::move(related);
  if (!f.fixes.empty()) result["fixes"] = fixes_sarif(loaded, f);
  return result;
}

}  // namespace

std::string findings_sarif(const LoadedPlan& loaded, const model::Findings& findings,
                           std::string_view version) {
  std::map<RuleCode, std::size_t> index;
  for (const model::Finding& f : findings) index[f.rule] = 0;
  Json rules = Json::array();
  for (auto& [code, position] : index) {
    position = rules.size();
    rules.push_back(rule_json(checks::entry_of(code)));
  }
  Json results = Json::array();
  for (const model::Finding& f : findings) results.push_back(result_json(loaded, f, index[f.rule]));
  Json artifacts = Json::array();
  for (const auto& source : loaded.sources) {
    artifacts.push_back({{"location", {{"uri", uri_of(source.name)}}}});
  }
  Json run{{"tool",
            {{"driver",
              {{"name", "greymet"}, {"semanticVersion", version}, {"rules", std::move(rules)}}}}},
           {"columnKind", "unicodeCodePoints"},
           {"invocations", Json::array({{{"executionSuccessful", !loaded.unreadable}}})},
           {"artifacts", std::move(artifacts)},
           {"results", std::move(results)}};
  const Json document{{"$schema",
                       "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/"
                       "sarif-schema-2.1.0.json"},
                      {"version", "2.1.0"},
                      {"runs", Json::array({std::move(run)})}};
  return dump(document);
}

}  // namespace greymet::files
