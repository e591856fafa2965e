// Writing JSON documents.
#pragma once

#include <optional>
#include <string>

#include <nlohmann/json.hpp>

#include "model/duration_text.h"

namespace greymet::files {

// The document as text: two blanks a level, a line break at the end; bytes that are no UTF-8 are
// replaced and what cannot be seen is escaped, so that no name in a plan can break a document or
// steer the terminal it is shown on.
[[nodiscard]] std::string dump(const nlohmann::ordered_json& json);

// The canonical form of RFC 8785: no blanks, keys sorted, numbers as ECMAScript writes them (whole
// ones beyond 2^53 are the nearest that a double holds). Keys of ours are ASCII, where the order of
// bytes is that of UTF-16. Bytes that are no UTF-8 are replaced.
[[nodiscard]] std::string canonical_json(const nlohmann::json& json);
// A number as it stands there (section 3.2.2.3); it must be finite.
[[nodiscard]] std::string canonical_number(double value);

// A duration in milliseconds, or null where there is none.
[[nodiscard]] inline nlohmann::ordered_json ms_or_null(const std::optional<model::Duration>& d) {
  using Json = nlohmann::ordered_json;
  return d ? Json(model::to_ms(*d)) : Json(nullptr);
}

}  // namespace greymet::files
