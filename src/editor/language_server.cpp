#include "editor/language_server.h"

#include <fmt/format.h>

#include "session.h"

namespace greymet::editor {

using internal::Json;
using internal::member;
using internal::path_of_document;
using internal::RpcError;
using internal::text_of;

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

}  // namespace greymet::editor
