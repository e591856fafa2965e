// The demo plans and maps, carried inside the program.
#pragma once

#include <string_view>
#include <vector>

namespace greymet::cli {

// A file of examples/: its path below that folder, and its bytes.
struct EmbeddedFile {
  std::string_view name;
  std::string_view content;
};

[[nodiscard]] std::vector<EmbeddedFile> embedded_examples();

}  // namespace greymet::cli
