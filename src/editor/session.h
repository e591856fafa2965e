// What the server knows of one editor: its documents, the plans they belong to, what is to be sent.
// Not for use outside this folder.
#pragma once

#include <map>
#include <memory>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "editor/documents.h"
#include "editor/language_server.h"
#include "editor/plan_view.h"
#include "protocol_json.h"

namespace greymet::editor {

class LanguageServer::Session {
 public:
  using Json = internal::Json;

  Session(files::FileSource disk, ServerWords words)
      : disk_(std::move(disk)), words_(std::move(words)) {}

  void receive(std::string_view message);
  [[nodiscard]] std::vector<std::string> take_outgoing() { return std::move(outgoing_); }
  void tidy_up() { retired_.clear(); }
  [[nodiscard]] bool wants_check() const { return !dirty_.empty(); }
  [[nodiscard]] std::optional<ReadingTask> next_check();
  void publish(std::shared_ptr<const Reading> reading);
  [[nodiscard]] std::optional<int> exit_status() const { return exit_status_; }

 private:
  // What a request comes to: its result, or why there is none.
  struct Failure {
    internal::RpcError code = internal::RpcError::request_failed;
    std::string message;
  };
  using Result = tl::expected<Json, Failure>;
  // A place in one of the plan's files.
  struct Place {
    std::shared_ptr<const PlanView> view;
    std::uint32_t file = 0;
    std::size_t byte = 0;
  };

  void send(const Json& message);
  void answer(const Json& id, const Result& result);
  void request(const Json& id, const std::string& method, const Json& params);
  void notification(const std::string& method, const Json& params);
  [[nodiscard]] Result result_of(const std::string& method, const Json& params);

  // Requests.
  [[nodiscard]] Json initialize(const Json& params);
  [[nodiscard]] Json hover(const Json& params);
  [[nodiscard]] Json completion(const Json& params);
  [[nodiscard]] Json definition(const Json& params);
  [[nodiscard]] Json references(const Json& params);
  [[nodiscard]] Json symbols(const Json& params);
  [[nodiscard]] Result prepare_rename(const Json& params);
  [[nodiscard]] Result rename(const Json& params);
  [[nodiscard]] Json inlay_hints(const Json& params);
  [[nodiscard]] Json formatting(const Json& params);
  [[nodiscard]] Json code_actions(const Json& params);
  [[nodiscard]] Result execute(const Json& params);

  // Documents.
  void did_open(const Json& params);
  void did_change(const Json& params);
  void did_close(const Json& params);
  void mark_dirty(const std::string& path);
  // What belongs to another plan now, or to none, is looked at there.
  void mark_moved();
  // The plan, or map by itself, that a document belongs to; empty for what is nobody's business.
  [[nodiscard]] const std::string& root_of(const std::string& path);

  // The plan around a document as it stands now; null for what is none.
  [[nodiscard]] std::shared_ptr<const PlanView> view_of(const std::string& path);
  // The latest that is known, which may be older than the texts.
  [[nodiscard]] std::shared_ptr<const PlanView> latest_view_of(const std::string& path);
  [[nodiscard]] std::optional<Place> place_of(const Json& params);
  [[nodiscard]] ReadingTask task_for(const std::string& root);

  [[nodiscard]] std::string uri_of(const std::string& path) const;
  [[nodiscard]] std::string uri_of(const PlanView& view, std::uint32_t file) const;
  [[nodiscard]] Json location_json(const PlanView& view, const FileSpan& where) const;
  [[nodiscard]] Json locations_json(const PlanView& view, const std::vector<FileSpan>& list) const;
  [[nodiscard]] Json edit_json(const PlanView& view, const std::vector<NewText>& changes) const;
  [[nodiscard]] Json diagnostic_json(const PlanView& view, const model::Finding& finding) const;
  void publish_file(const std::string& uri);
  void forget_versions_of(const std::string& uri);
  void keep_timing(const std::string& root, const PlanView& view, model::Findings& findings) const;

  files::FileSource disk_;
  ServerWords words_;
  Documents documents_;
  PositionUnits units_ = PositionUnits::utf16;
  bool initialized_ = false;
  bool shut_down_ = false;
  bool snippets_ = false;
  bool refreshes_hints_ = false;
  std::string measured_;
  std::optional<int> exit_status_;
  std::uint64_t next_id_ = 1;

  std::map<std::string, std::string> roots_;                        // by document
  std::set<std::string> dirty_;                                     // roots
  std::map<std::string, std::shared_ptr<const PlanView>> checked_;  // by root
  std::map<std::string, std::shared_ptr<const PlanView>> current_;  // by root, of the present texts
  // What was found in a file of one plan, and in which version of its text.
  struct Told {
    Json list;
    std::optional<std::int64_t> version;  // none: of the file on the disk
  };
  std::map<std::string, std::map<std::string, Told>> diagnostics_;  // by URI and root
  std::vector<std::string> outgoing_;
  std::vector<std::shared_ptr<const PlanView>> retired_;  // readings that nobody needs any more
};

}  // namespace greymet::editor
