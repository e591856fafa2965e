// Files that the program carries inside itself.
#pragma once

#include <string_view>
#include <vector>

namespace greymet::cli {

// Its path below the folder it is from, and its bytes.
struct EmbeddedFile {
  std::string_view name;
  std::string_view content;
};

// The demo plans and maps: all of examples/.
[[nodiscard]] std::vector<EmbeddedFile> embedded_examples();
// The pages of docs/ that `explain` looks words and keys up in.
[[nodiscard]] std::vector<EmbeddedFile> embedded_pages();

}  // namespace greymet::cli
