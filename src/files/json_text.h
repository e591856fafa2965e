// Writing JSON documents: shared by this folder's writers. Not for use outside it.
#pragma once

#include <string>

#include <nlohmann/json.hpp>

namespace greymet::files::internal {

// The document as text: two blanks a level, a line break at the end; bytes that are no UTF-8 are
// replaced, so that no name in a plan can break a document.
[[nodiscard]] inline std::string dump(const nlohmann::ordered_json& json) {
  using Json = nlohmann::ordered_json;
  return json.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
}

}  // namespace greymet::files::internal
