// Values of the protocol as JSON. Not for use outside this folder.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include <nlohmann/json.hpp>

#include "editor/features.h"
#include "editor/plan_view.h"
#include "editor/text_position.h"

namespace greymet::editor::internal {

using Json = nlohmann::ordered_json;

// Errors of JSON-RPC 2.0 and of the protocol.
enum class RpcError : int {
  parse_error = -32700,
  invalid_request = -32600,
  method_not_found = -32601,
  invalid_params = -32602,
  not_initialized = -32002,
  request_failed = -32803
};

// A member, or null where there is none, or no object.
[[nodiscard]] const Json& member(const Json& of, std::string_view name);
[[nodiscard]] std::string text_of(const Json& json);
// The path under which the document of a URI is kept: "a/../b" is "b"; empty where there is none.
[[nodiscard]] std::string document_path(const std::string& uri);
// The plain path of the document that a message is about; empty where it is no file.
[[nodiscard]] std::string path_of_document(const Json& params);
// A number within what positions can be; 0 for whatever is none.
[[nodiscard]] std::uint32_t number_of(const Json& json);
[[nodiscard]] TextPosition position_of(const Json& json);
[[nodiscard]] TextStretch stretch_of(const Json& json);

[[nodiscard]] Json to_json(const TextPosition& position);
[[nodiscard]] Json to_json(const TextStretch& stretch);
[[nodiscard]] Json markdown_json(std::string text);
[[nodiscard]] Json outline_json(const std::vector<OutlineItem>& items,
                                const files::SourceText& lines, PositionUnits units);
// `snippets`: the editor knows them; else their places are filled with what they propose.
[[nodiscard]] Json proposals_json(const Proposals& proposals, const files::SourceText& lines,
                                  PositionUnits units, bool snippets);

// "1: error" to "3: information"
[[nodiscard]] int severity_of(model::Severity severity);

// A snippet as plain text: "${1:name}" is "name", "$2" nothing.
[[nodiscard]] std::string without_places(std::string_view snippet);

}  // namespace greymet::editor::internal
