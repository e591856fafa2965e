#include "protocol_json.h"

#include <algorithm>
#include <filesystem>

#include <fmt/format.h>

#include "model/ascii_text.h"
#include "model/utf8_text.h"

namespace greymet::editor::internal {

namespace {

constexpr std::uint32_t most_units = 0x7FFFFFFF;  // uinteger of the protocol

int symbol_kind(OutlineKind kind) {
  switch (kind) {
    case OutlineKind::section: return 3;     // namespace
    case OutlineKind::controller: return 5;  // class
    case OutlineKind::line:
    case OutlineKind::gateway: return 11;  // interface
    case OutlineKind::slave: return 19;    // object
    case OutlineKind::row: return 12;      // function
    case OutlineKind::point: return 8;     // field
  }
  return 13;
}

int completion_kind(ProposalKind kind) {
  switch (kind) {
    case ProposalKind::key: return 10;   // property
    case ProposalKind::word: return 20;  // member of an enumeration
    case ProposalKind::name: return 18;  // reference
    case ProposalKind::point: return 5;  // field
    case ProposalKind::memory:
    case ProposalKind::number: return 12;  // value
    case ProposalKind::snippet: return 15;
  }
  return 1;
}

}  // namespace

const Json& member(const Json& of, std::string_view name) {
  static const Json none;
  if (!of.is_object()) return none;
  const auto at = of.find(name);
  return at == of.end() ? none : *at;
}

std::string text_of(const Json& json) {
  return json.is_string() ? json.get<std::string>() : std::string();
}

std::string document_path(const std::string& uri) {
  const std::string path = path_of_uri(uri);
  return path.empty() ? path : std::filesystem::path(path).lexically_normal().string();
}

std::string path_of_document(const Json& params) {
  return document_path(text_of(member(member(params, "textDocument"), "uri")));
}

std::uint32_t number_of(const Json& json) {
  if (json.is_number_unsigned()) {
    return static_cast<std::uint32_t>(
        std::min<std::uint64_t>(json.get<std::uint64_t>(), most_units));
  }
  if (json.is_number_integer()) return 0;  // below 0
  if (json.is_number_float()) {
    const double value = json.get<double>();
    if (value > 0 && value < most_units) return static_cast<std::uint32_t>(value);
  }
  return 0;
}

TextPosition position_of(const Json& json) {
  return {number_of(member(json, "line")), number_of(member(json, "character"))};
}

TextStretch stretch_of(const Json& json) {
  return {position_of(member(json, "start")), position_of(member(json, "end"))};
}

Json to_json(const TextPosition& position) {
  return {{"line", position.line}, {"character", position.character}};
}

Json to_json(const TextStretch& stretch) {
  return {{"start", to_json(stretch.begin)}, {"end", to_json(stretch.end)}};
}

Json markdown_json(std::string text) {
  return {{"kind", "markdown"}, {"value", std::move(text)}};
}

Json outline_json(const std::vector<OutlineItem>& items, const files::SourceText& lines,
                  PositionUnits units) {
  Json out = Json::array();
  for (const OutlineItem& item : items) {
    TextStretch whole = editor::stretch_of(lines, item.whole, units);
    const TextStretch own = editor::stretch_of(lines, item.own, units);
    // the protocol wants the name within the whole
    whole.begin = std::min(whole.begin, own.begin);
    whole.end = std::max(whole.end, own.end);
    Json json{{"name", item.name.empty() ? "?" : model::shown(item.name)},
              {"detail", model::shown(item.detail)},
              {"kind", symbol_kind(item.kind)},
              {"range", to_json(whole)},
              {"selectionRange", to_json(own)}};
    if (!item.parts.empty()) json["children"] = outline_json(item.parts, lines, units);
    out.push_back(std::move(json));
  }
  return out;
}

std::string without_places(std::string_view snippet) {
  std::string out;
  for (std::size_t i = 0; i < snippet.size(); ++i) {
    if (snippet[i] != '$' || i + 1 == snippet.size()) {
      out += snippet[i];
    } else if (snippet[i + 1] == '{') {
      const std::size_t end = std::min(snippet.find('}', i), snippet.size());
      const std::string_view place = snippet.substr(i + 2, end - i - 2);
      const std::size_t colon = place.find(':');
      if (colon != std::string_view::npos) out += place.substr(colon + 1);
      i = end;
    } else {
      ++i;
      while (i + 1 < snippet.size() && model::is_digit(snippet[i + 1])) ++i;
    }
  }
  return out;
}

Json proposals_json(const Proposals& proposals, const files::SourceText& lines, PositionUnits units,
                    bool snippets) {
  const Json range = to_json(editor::stretch_of(lines, proposals.replaced, units));
  Json items = Json::array();
  bool depends_on_typed = false;
  for (const Proposal& each : proposals.list) {
    depends_on_typed = depends_on_typed || each.kind == ProposalKind::number;
    Json item{{"label", model::shown(each.label)}, {"kind", completion_kind(each.kind)}};
    if (!each.detail.empty()) item["detail"] = model::shown(each.detail);
    if (!each.about.empty()) item["documentation"] = markdown_json(each.about);
    item["sortText"] = fmt::format("{:05}", items.size());
    item["filterText"] = each.label;
    if (each.is_snippet && snippets) item["insertTextFormat"] = 2;
    item["textEdit"] = {
        {"range", range},
        {"newText", each.is_snippet && !snippets ? without_places(each.text) : each.text}};
    items.push_back(std::move(item));
  }
  return {{"isIncomplete", depends_on_typed}, {"items", std::move(items)}};
}

int severity_of(model::Severity severity) {
  switch (severity) {
    case model::Severity::error: return 1;
    case model::Severity::warning: return 2;
    case model::Severity::note: return 3;
  }
  return 3;
}

}  // namespace greymet::editor::internal
