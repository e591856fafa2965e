// The requests of an editor.
#include <algorithm>

#include <fmt/format.h>

#include "model/utf8_text.h"
#include "session.h"

namespace greymet::editor {

using internal::Json;
using internal::member;
using internal::path_of_document;
using internal::RpcError;
using internal::text_of;
using internal::to_json;

namespace {

files::Span span_in(const files::SourceText& lines, const TextStretch& stretch,
                    PositionUnits units) {
  const std::size_t begin = byte_of(lines, stretch.begin, units);
  return {begin, std::max(begin, byte_of(lines, stretch.end, units))};
}

}  // namespace

std::optional<LanguageServer::Session::Place> LanguageServer::Session::place_of(
    const Json& params) {
  const std::string path = path_of_document(params);
  if (documents_.find(path) == nullptr) return std::nullopt;
  auto view = view_of(path);
  if (view == nullptr) return std::nullopt;
  const auto file = view->file_of(path);
  if (!file) return std::nullopt;
  const std::size_t byte =
      byte_of(view->lines(*file), internal::position_of(member(params, "position")), units_);
  return Place{std::move(view), *file, byte};
}

Json LanguageServer::Session::hover(const Json& params) {
  const auto place = place_of(params);
  if (!place) return nullptr;
  const auto text = hover_at(*place->view, place->file, place->byte, words_.key_help);
  if (!text) return nullptr;
  return {{"contents", internal::markdown_json(text->markdown)},
          {"range", to_json(editor::stretch_of(place->view->lines(text->where.file),
                                               text->where.span, units_))}};
}

Json LanguageServer::Session::completion(const Json& params) {
  const std::string path = path_of_document(params);
  const Document* const document = documents_.find(path);
  if (document == nullptr) return nullptr;
  const auto view = latest_view_of(path);
  if (view == nullptr) return nullptr;
  const files::SourceText lines(document->text);
  const std::size_t byte =
      byte_of(lines, internal::position_of(member(params, "position")), units_);
  const auto file = view->file_of(path);
  const bool is_plan = view->reading().is_plan && (!file || *file == 0) && path.ends_with(".toml");
  const TableKind kind = file && !is_plan ? view->table_kind(*file) : TableKind::none;
  const Proposals proposals =
      proposals_at(*view, document->text, kind, is_plan, byte, words_.key_help);
  return internal::proposals_json(proposals, lines, units_, snippets_);
}

Json LanguageServer::Session::definition(const Json& params) {
  const auto place = place_of(params);
  if (!place) return nullptr;
  return locations_json(*place->view, definitions_at(*place->view, place->file, place->byte));
}

Json LanguageServer::Session::references(const Json& params) {
  const auto place = place_of(params);
  if (!place) return nullptr;
  const bool all = member(member(params, "context"), "includeDeclaration") == true;
  return locations_json(*place->view, references_at(*place->view, place->file, place->byte, all));
}

Json LanguageServer::Session::symbols(const Json& params) {
  const auto place = place_of(params);
  if (!place) return nullptr;
  return internal::outline_json(outline_of(*place->view, place->file),
                                place->view->lines(place->file), units_);
}

LanguageServer::Session::Result LanguageServer::Session::prepare_rename(const Json& params) {
  const auto place = place_of(params);
  if (!place) return Json(nullptr);
  const auto own = renameable_at(*place->view, place->file, place->byte);
  if (!own) return tl::unexpected(Failure{RpcError::request_failed, own.error()});
  return Json{{"range", to_json(editor::stretch_of(place->view->lines(place->file), own->where.span,
                                                   units_))},
              {"placeholder", own->thing.name}};
}

LanguageServer::Session::Result LanguageServer::Session::rename(const Json& params) {
  const auto place = place_of(params);
  if (!place) return Json(nullptr);
  const auto changes =
      renamed_at(*place->view, place->file, place->byte, text_of(member(params, "newName")));
  if (!changes) return tl::unexpected(Failure{RpcError::request_failed, changes.error()});
  return edit_json(*place->view, *changes);
}

Json LanguageServer::Session::edit_json(const PlanView& view,
                                        const std::vector<NewText>& changes) const {
  Json by_file = Json::object();
  for (const NewText& change : changes) {
    Json& list = by_file[uri_of(view, change.where.file)];
    list.push_back({{"range", to_json(editor::stretch_of(view.lines(change.where.file),
                                                         change.where.span, units_))},
                    {"newText", change.text}});
  }
  return {{"changes", std::move(by_file)}};
}

Json LanguageServer::Session::inlay_hints(const Json& params) {
  const std::string path = path_of_document(params);
  if (documents_.find(path) == nullptr) return nullptr;
  // nobody waits for hints of a large plan: they are asked for again when it was checked
  const auto last = latest_view_of(path);
  const bool later = last != nullptr && refreshes_hints_ && is_large(last->reading()) &&
                     last->reading().task.number != documents_.state();
  if (later) return nullptr;
  const auto view = view_of(path);
  const auto file = view == nullptr ? std::nullopt : view->file_of(path);
  if (!file) return nullptr;
  const files::SourceText& lines = view->lines(*file);
  const files::Span span = span_in(lines, internal::stretch_of(member(params, "range")), units_);
  Json out = Json::array();
  for (const InlayHint& hint : hints_in(*view, *file, span)) {
    const TextStretch at = editor::stretch_of(lines, files::Span{hint.byte, hint.byte}, units_);
    Json json{{"position", to_json(at.begin)}, {"label", model::shown(hint.text)}};
    if (!hint.more.empty()) json["tooltip"] = internal::markdown_json(hint.more);
    out.push_back(std::move(json));
  }
  return out;
}

Json LanguageServer::Session::formatting(const Json& params) {
  const std::string path = path_of_document(params);
  const Document* const document = documents_.find(path);
  if (document == nullptr || !path.ends_with(".toml")) return nullptr;
  const files::SourceText lines(document->text);
  const Json& range = member(params, "range");
  const files::Span span = range.is_object() ? span_in(lines, internal::stretch_of(range), units_)
                                             : files::Span{0, document->text.size()};
  Json out = Json::array();
  for (const NewText& change : aligned_rows(document->text, span)) {
    out.push_back({{"range", to_json(editor::stretch_of(lines, change.where.span, units_))},
                   {"newText", change.text}});
  }
  return out;
}

Json LanguageServer::Session::code_actions(const Json& params) {
  const std::string path = path_of_document(params);
  if (documents_.find(path) == nullptr) return nullptr;
  auto view = view_of(path);
  if (view == nullptr) return nullptr;
  // of a large plan what was checked last, if its texts are those of today
  const auto file = view->file_of(path);
  Json out = Json::array();
  if (!file || !view->reading().is_checked) return out;
  const Json& only = member(member(params, "context"), "only");
  const auto wanted = [&](std::string_view kind) {
    if (!only.is_array() || only.empty()) return true;
    return std::any_of(only.begin(), only.end(), [&](const Json& each) {
      const std::string asked = text_of(each);
      return kind == asked || kind.starts_with(asked + ".");
    });
  };
  const files::Span span =
      span_in(view->lines(*file), internal::stretch_of(member(params, "range")), units_);
  if (wanted("quickfix")) {
    for (const QuickFix& fix : quick_fixes(*view, *file, span)) {
      Json action{{"title", model::shown(fix.title)},
                  {"kind", "quickfix"},
                  {"diagnostics",
                   Json::array({diagnostic_json(*view, view->reading().findings[fix.finding])})}};
      if (fix.is_certain) action["isPreferred"] = true;
      action["edit"] = edit_json(*view, fix.changes);
      out.push_back(std::move(action));
    }
  }
  const auto& findings = view->reading().findings;
  const bool any_certain = std::any_of(findings.begin(), findings.end(), [](const auto& f) {
    return std::any_of(f.fixes.begin(), f.fixes.end(),
                       [](const model::Fix& fix) { return fix.certain; });
  });
  if (any_certain && wanted("source.fixAll")) {
    const char* const title = "carry out all certain fixes";
    out.push_back({{"title", title},
                   {"kind", "source.fixAll"},
                   {"command",
                    {{"title", title},
                     {"command", "greymet.fix-all"},
                     {"arguments", Json::array({documents_.find(path)->uri})}}}});
  }
  return out;
}

LanguageServer::Session::Result LanguageServer::Session::execute(const Json& params) {
  if (text_of(member(params, "command")) != "greymet.fix-all") {
    return tl::unexpected(Failure{RpcError::invalid_params, "the command is greymet.fix-all"});
  }
  const Json& arguments = member(params, "arguments");
  const std::string uri =
      arguments.is_array() && !arguments.empty() ? text_of(arguments.front()) : std::string();
  const std::string path = internal::document_path(uri);
  if (documents_.find(path) == nullptr) {
    return tl::unexpected(
        Failure{RpcError::invalid_params, "its argument is the URI of an open document"});
  }
  const auto view = view_of(path);
  const auto changes = view == nullptr ? std::vector<FileChange>() : all_certain_fixes(*view);
  if (changes.empty()) {
    send({{"jsonrpc", "2.0"},
          {"method", "window/showMessage"},
          {"params", {{"type", 3}, {"message", "no finding has a certain fix"}}}});
    return Json(nullptr);
  }
  Json by_file = Json::object();
  for (const FileChange& change : changes) {
    const files::SourceText lines(change.before);
    by_file[uri_of(change.path)] =
        Json::array({{{"range", to_json(editor::stretch_of(lines, change.span, units_))},
                      {"newText", change.text}}});
  }
  send({{"jsonrpc", "2.0"},
        {"id", fmt::format("greymet-{}", next_id_++)},
        {"method", "workspace/applyEdit"},
        {"params",
         {{"label", "carry out all certain fixes"}, {"edit", {{"changes", std::move(by_file)}}}}}});
  return Json(nullptr);
}

}  // namespace greymet::editor
