// What is told of findings: in which file, at which place, of which version of its text.
#include <algorithm>
#include <filesystem>

#include <fmt/format.h>

#include "checks/catalogue.h"
#include "model/utf8_text.h"
#include "session.h"

namespace greymet::editor {

using internal::document_path;
using internal::Json;
using internal::to_json;

std::string LanguageServer::Session::uri_of(const std::string& path) const {
  const std::string plain = std::filesystem::path(path).lexically_normal().string();
  const Document* const document = documents_.find(plain);
  return document != nullptr ? document->uri : uri_of_path(plain);
}

std::string LanguageServer::Session::uri_of(const PlanView& view, std::uint32_t file) const {
  return uri_of(view.path_of(file));
}

Json LanguageServer::Session::location_json(const PlanView& view, const FileSpan& where) const {
  return {{"uri", uri_of(view, where.file)},
          {"range", to_json(editor::stretch_of(view.lines(where.file), where.span, units_))}};
}

Json LanguageServer::Session::locations_json(const PlanView& view,
                                             const std::vector<FileSpan>& list) const {
  Json out = Json::array();
  for (const FileSpan& each : list) out.push_back(location_json(view, each));
  return out;
}

Json LanguageServer::Session::diagnostic_json(const PlanView& view, const model::Finding& f) const {
  std::string text = model::shown(fmt::format("{}: {}", to_text(f.subject), f.message));
  if (!f.remedy.empty()) text += "\nfix: " + model::shown(f.remedy);
  if (!f.explains.empty()) {
    text += fmt::format("\n{} only follow{} from it",
                        model::counted(f.explains.size(), "further finding"),
                        f.explains.size() == 1 ? "s" : "");
  }
  const std::string code(to_string(f.rule));
  Json json{{"range", to_json(editor::stretch_of(view.lines(f.place.file), f.place, units_))},
            {"severity", internal::severity_of(f.severity)},
            {"code", code}};
  const std::string link = words_.rule_link ? words_.rule_link(f.rule) : std::string();
  if (!link.empty()) json["codeDescription"] = {{"href", link}};
  json["source"] = "greymet";
  json["message"] = std::move(text);
  Json related = Json::array();
  for (const model::Related& each : f.related) {
    if (each.place.file >= view.files()) continue;
    related.push_back({{"location", location_json(view, {each.place.file, view.span(each.place)})},
                       {"message", model::shown(each.text)}});
  }
  if (!related.empty()) json["relatedInformation"] = std::move(related);
  return json;
}

// The text that is closed counts its versions anew when it is opened again.
void LanguageServer::Session::forget_versions_of(const std::string& uri) {
  const auto by_root = diagnostics_.find(uri);
  if (by_root == diagnostics_.end()) return;
  for (auto& [root, told] : by_root->second) told.version.reset();
}

void LanguageServer::Session::publish_file(const std::string& uri) {
  Json all = Json::array();
  // the version that was looked at, the oldest of several: places are those of its text
  std::optional<std::int64_t> version;
  const auto by_root = diagnostics_.find(uri);
  if (by_root != diagnostics_.end()) {
    for (const auto& [root, told] : by_root->second) {
      if (told.version) version = std::min(version.value_or(*told.version), *told.version);
      for (const Json& each : told.list) {
        if (std::find(all.begin(), all.end(), each) == all.end() || all.size() > 100) {
          all.push_back(each);
        }
      }
    }
  }
  Json params{{"uri", uri}};
  const bool is_open = documents_.find(document_path(uri)) != nullptr;
  if (is_open && version) params["version"] = *version;
  params["diagnostics"] = std::move(all);
  send({{"jsonrpc", "2.0"},
        {"method", "textDocument/publishDiagnostics"},
        {"params", std::move(params)}});
}

// What the last check said of times holds, as far as anybody knows, where nobody has typed since.
void LanguageServer::Session::keep_timing(const std::string& root, const PlanView& view,
                                          model::Findings& findings) const {
  const auto last = checked_.find(root);
  if (last == checked_.end()) return;
  const PlanView& before = *last->second;
  for (const model::Finding& f : before.reading().findings) {
    if (checks::entry_of(f.rule).needs == checks::Needs::plan) continue;
    if (f.place.file >= before.files() || f.place.file >= view.files()) continue;
    const std::uint32_t file = f.place.file;
    const std::uint32_t line = std::max<std::uint32_t>(1, f.place.line);
    if (before.path_of(file) == view.path_of(file) &&
        before.lines(file).line(line) == view.lines(file).line(line)) {
      findings.push_back(f);
      findings.back().related.clear();
    }
  }
}

void LanguageServer::Session::publish(std::shared_ptr<const Reading> reading) {
  const std::string root = reading->task.path;
  const bool needed = std::any_of(documents_.all().begin(), documents_.all().end(),
                                  [&](const auto& each) { return root_of(each.first) == root; });
  if (!needed) return;
  const auto view = std::make_shared<const PlanView>(std::move(reading));
  // of a text that was closed since, and perhaps opened again, nothing is told any more
  for (const auto& [path, seen] : view->reading().task.versions) {
    const Document* const now = documents_.find(path);
    const bool is_gone = now == nullptr || now->opening != seen.opening;
    if (is_gone && view->file_of(path)) {
      dirty_.insert(root);
      return;
    }
  }
  model::Findings findings = view->reading().findings;
  if (view->reading().is_half_checked) {
    keep_timing(root, *view, findings);
    current_[root] = view;
  } else {
    auto& known = checked_[root];
    if (known) retired_.push_back(std::move(known));
    known = view;
    current_.erase(root);
  }
  constexpr std::size_t most_told = 2000;  // of one file
  std::map<std::string, Json> lists;
  for (std::uint32_t file = 0; file < view->files(); ++file) {
    lists.try_emplace(uri_of(*view, file), Json::array());
  }
  for (const model::Finding& f : findings) {
    if (f.place.file >= view->files()) continue;
    Json& list = lists[uri_of(*view, f.place.file)];
    if (list.size() < most_told) list.push_back(diagnostic_json(*view, f));
  }
  std::set<std::string> changed;
  for (auto& [uri, by_root] : diagnostics_) {
    if (!lists.contains(uri) && by_root.erase(root) > 0) changed.insert(uri);
  }
  for (auto& [uri, list] : lists) {
    auto& by_root = diagnostics_[uri];
    const auto known = by_root.find(root);
    const bool is_open = documents_.find(document_path(uri)) != nullptr;
    const bool same =
        known != by_root.end() ? known->second.list == list : list.empty() && !is_open;
    const Versions& versions = view->reading().task.versions;
    const auto version = versions.find(document_path(uri));
    by_root[root] = {std::move(list), version == versions.end()
                                          ? std::nullopt
                                          : std::optional(version->second.version)};
    if (!same || is_open) changed.insert(uri);
  }
  for (const std::string& uri : changed) publish_file(uri);
  if (!view->reading().is_half_checked) mark_moved();
  if (refreshes_hints_) {
    send({{"jsonrpc", "2.0"},
          {"id", fmt::format("greymet-{}", next_id_++)},
          {"method", "workspace/inlayHint/refresh"}});
  }
}

}  // namespace greymet::editor
