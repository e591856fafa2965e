#include "editor/language_server.h"

#include <algorithm>
#include <filesystem>

#include <fmt/format.h>

#include "checks/catalogue.h"
#include "model/utf8_text.h"
#include "session.h"

namespace greymet::editor {

using internal::document_path;
using internal::Json;
using internal::member;
using internal::path_of_document;
using internal::RpcError;
using internal::text_of;
using internal::to_json;

namespace {

// Broken names are no reason to send nothing.
std::string dumped(const Json& json) {
  return json.dump(-1, ' ', false, Json::error_handler_t::replace);
}

}  // namespace

LanguageServer::LanguageServer(files::FileSource disk, ServerWords words)
    : session_(std::make_unique<Session>(std::move(disk), std::move(words))) {}
LanguageServer::~LanguageServer() = default;

void LanguageServer::receive(std::string_view message) {
  session_->receive(message);
}
std::vector<std::string> LanguageServer::take_outgoing() {
  return session_->take_outgoing();
}
void LanguageServer::tidy_up() {
  session_->tidy_up();
}
bool LanguageServer::wants_check() const {
  return session_->wants_check();
}
std::optional<ReadingTask> LanguageServer::next_check() {
  return session_->next_check();
}
void LanguageServer::publish(std::shared_ptr<const Reading> reading) {
  session_->publish(std::move(reading));
}
std::optional<int> LanguageServer::exit_status() const {
  return session_->exit_status();
}

// ---- messages

void LanguageServer::Session::send(const Json& message) {
  outgoing_.push_back(dumped(message));
}

void LanguageServer::Session::answer(const Json& id, const Result& result) {
  Json message{{"jsonrpc", "2.0"}, {"id", id}};
  if (result) {
    message["result"] = *result;
  } else {
    message["error"] = {{"code", static_cast<int>(result.error().code)},
                        {"message", result.error().message}};
  }
  send(message);
}

void LanguageServer::Session::receive(std::string_view message) {
  const Json json = Json::parse(message, nullptr, false);
  if (json.is_discarded()) {
    answer(nullptr, tl::unexpected(Failure{RpcError::parse_error, "this is no JSON"}));
    return;
  }
  const Json& id = member(json, "id");
  const Json& method = member(json, "method");
  const bool has_id = id.is_string() || id.is_number_integer();
  if (!json.is_object() || (!method.is_string() && !method.is_null())) {
    answer(has_id ? id : Json(nullptr),
           tl::unexpected(Failure{RpcError::invalid_request, "this is no request"}));
    return;
  }
  if (method.is_null()) return;  // an answer to what was asked, or nothing
  const Json& params = member(json, "params");
  // what is not as the protocol says is said, and never ends the server
  try {
    if (has_id) {
      request(id, method.get<std::string>(), params);
    } else {
      notification(method.get<std::string>(), params);
    }
  } catch (const nlohmann::json::exception&) {
    if (has_id) {
      answer(id, tl::unexpected(Failure{RpcError::invalid_params,
                                        "the parameters are not as they should be"}));
    }
  }
}

void LanguageServer::Session::request(const Json& id, const std::string& method,
                                      const Json& params) {
  if (method == "initialize") {
    if (initialized_) {
      return answer(id, tl::unexpected(Failure{RpcError::invalid_request, "this was said before"}));
    }
    return answer(id, initialize(params));
  }
  if (!initialized_) {
    return answer(id, tl::unexpected(Failure{RpcError::not_initialized, "initialize comes first"}));
  }
  if (shut_down_) {
    return answer(id, tl::unexpected(Failure{RpcError::invalid_request, "shutdown was said"}));
  }
  if (method == "shutdown") {
    shut_down_ = true;
    return answer(id, Json(nullptr));
  }
  answer(id, result_of(method, params));
}

LanguageServer::Session::Result LanguageServer::Session::result_of(const std::string& method,
                                                                   const Json& params) {
  if (method == "textDocument/hover") return hover(params);
  if (method == "textDocument/completion") return completion(params);
  if (method == "textDocument/definition") return definition(params);
  if (method == "textDocument/references") return references(params);
  if (method == "textDocument/documentSymbol") return symbols(params);
  if (method == "textDocument/prepareRename") return prepare_rename(params);
  if (method == "textDocument/rename") return rename(params);
  if (method == "textDocument/inlayHint") return inlay_hints(params);
  if (method == "textDocument/formatting" || method == "textDocument/rangeFormatting") {
    return formatting(params);
  }
  if (method == "textDocument/codeAction") return code_actions(params);
  if (method == "workspace/executeCommand") return execute(params);
  return tl::unexpected(
      Failure{RpcError::method_not_found, fmt::format("'{}' is not known", method.substr(0, 60))});
}

void LanguageServer::Session::notification(const std::string& method, const Json& params) {
  if (method == "exit") {
    exit_status_ = shut_down_ ? 0 : 1;
    return;
  }
  if (!initialized_ || shut_down_) return;
  if (method == "textDocument/didOpen") return did_open(params);
  if (method == "textDocument/didChange") return did_change(params);
  if (method == "textDocument/didClose") return did_close(params);
  if (method == "textDocument/didSave" || method == "workspace/didChangeWatchedFiles") {
    // the files of any plan may have changed
    documents_.touch();
    roots_.clear();
    for (const auto& [path, document] : documents_.all()) mark_dirty(path);
  }
}

Json LanguageServer::Session::initialize(const Json& params) {
  initialized_ = true;
  const Json& capabilities = member(params, "capabilities");
  const Json& encodings = member(member(capabilities, "general"), "positionEncodings");
  if (encodings.is_array()) {
    for (const Json& each : encodings) {
      if (each == "utf-8") units_ = PositionUnits::utf8;
    }
  }
  const Json& item =
      member(member(member(capabilities, "textDocument"), "completion"), "completionItem");
  snippets_ = member(item, "snippetSupport") == true;
  refreshes_hints_ =
      member(member(member(capabilities, "workspace"), "inlayHint"), "refreshSupport") == true;
  measured_ = text_of(member(member(params, "initializationOptions"), "measured"));
  Json offered{{"positionEncoding", units_ == PositionUnits::utf8 ? "utf-8" : "utf-16"},
               {"textDocumentSync", {{"openClose", true}, {"change", 2}, {"save", true}}},
               {"hoverProvider", true},
               {"completionProvider", {{"triggerCharacters", {"\"", "%", ".", "=", "{"}}}},
               {"definitionProvider", true},
               {"referencesProvider", true},
               {"documentSymbolProvider", true},
               {"renameProvider", {{"prepareProvider", true}}},
               {"inlayHintProvider", true},
               {"documentFormattingProvider", true},
               {"documentRangeFormattingProvider", true},
               {"codeActionProvider", {{"codeActionKinds", {"quickfix", "source.fixAll"}}}},
               {"executeCommandProvider", {{"commands", {"greymet.fix-all"}}}}};
  return {{"capabilities", std::move(offered)},
          {"serverInfo", {{"name", "greymet"}, {"version", words_.version}}}};
}

// ---- documents

void LanguageServer::Session::did_open(const Json& params) {
  const Json& document = member(params, "textDocument");
  const std::string path = path_of_document(params);
  if (path.empty()) return;
  documents_.open(path, text_of(member(document, "uri")),
                  internal::number_of(member(document, "version")),
                  text_of(member(document, "text")));
  roots_.clear();
  mark_dirty(path);
}

void LanguageServer::Session::did_change(const Json& params) {
  const std::string path = path_of_document(params);
  const Json& list = member(params, "contentChanges");
  if (path.empty() || !list.is_array()) return;
  std::vector<TextChange> changes;
  for (const Json& each : list) {
    TextChange change{{}, text_of(member(each, "text"))};
    if (member(each, "range").is_object()) {
      change.stretch = internal::stretch_of(member(each, "range"));
    }
    changes.push_back(std::move(change));
  }
  const auto version = internal::number_of(member(member(params, "textDocument"), "version"));
  if (!documents_.change(path, version, changes, units_)) return;
  if (path.ends_with(".toml")) roots_.clear();  // it may name other files now
  mark_dirty(path);
}

void LanguageServer::Session::did_close(const Json& params) {
  const std::string path = path_of_document(params);
  if (documents_.find(path) == nullptr) return;
  const std::string root = root_of(path);
  const std::string uri_closed = documents_.find(path)->uri;
  mark_dirty(path);  // all plans that name it
  documents_.close(path);
  forget_versions_of(uri_closed);
  roots_.clear();
  std::set<std::string> needed;
  for (const auto& [each, document] : documents_.all()) needed.insert(root_of(each));
  mark_moved();
  if (needed.contains(root)) return;
  dirty_.erase(root);
  checked_.erase(root);
  current_.erase(root);
  for (auto& [uri, by_root] : diagnostics_) {
    if (by_root.erase(root) > 0) publish_file(uri);
  }
}

const std::string& LanguageServer::Session::root_of(const std::string& path) {
  const auto [at, is_new] = roots_.try_emplace(path);
  if (!is_new) return at->second;
  std::vector<std::string> open;
  for (const auto& [each, document] : documents_.all()) {
    if (each.ends_with(".toml")) open.push_back(each);
  }
  std::string root = plan_of(path, open, files_over(disk_, documents_.texts()));
  if (root.empty() && (path.ends_with(".toml") || path.ends_with(".csv"))) root = path;
  at->second = std::move(root);
  return at->second;
}

void LanguageServer::Session::mark_dirty(const std::string& path) {
  // while changes come quickly nobody looks for plans: what was known lasts until the next check
  const auto known = roots_.find(path);
  const std::string& root = known != roots_.end() ? known->second : path;
  dirty_.insert(root);
  for (const auto& [each, view] : checked_) {
    if (each != root && view->file_of(path)) dirty_.insert(each);
  }
}

void LanguageServer::Session::mark_moved() {
  for (const auto& [path, document] : documents_.all()) {
    const std::string& root = root_of(path);
    if (!root.empty() && !checked_.contains(root)) dirty_.insert(root);
  }
}

ReadingTask LanguageServer::Session::task_for(const std::string& root) {
  return {root, files_over(disk_, documents_.texts()), measured_, documents_.state(),
          documents_.versions()};
}

std::optional<ReadingTask> LanguageServer::Session::next_check() {
  while (!dirty_.empty()) {
    const std::string path = *dirty_.begin();
    dirty_.erase(dirty_.begin());
    const std::string root = root_of(path);
    if (root.empty()) continue;
    // a table or map that was opened beside its plan is looked at with it
    std::erase_if(dirty_, [&](const std::string& each) { return root_of(each) == root; });
    return task_for(root);
  }
  return std::nullopt;
}

std::shared_ptr<const PlanView> LanguageServer::Session::view_of(const std::string& path) {
  const std::string root = root_of(path);
  if (root.empty()) return nullptr;
  for (const auto* views : {&checked_, &current_}) {
    const auto at = views->find(root);
    if (at != views->end() && at->second->reading().task.number == documents_.state()) {
      return at->second;
    }
  }
  auto reading = std::make_shared<Reading>(read_for_editor(task_for(root)));
  // of a small plan all is known at once; of a large one the check that is due will tell
  if (!is_large(*reading)) check_reading(*reading, {});
  auto view = std::make_shared<const PlanView>(std::move(reading));
  current_[root] = view;
  return view;
}

std::shared_ptr<const PlanView> LanguageServer::Session::latest_view_of(const std::string& path) {
  const std::string root = root_of(path);
  const auto at = checked_.find(root);
  return at == checked_.end() ? view_of(path) : at->second;
}

// ---- findings

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
