// Holding a folder, or a file that came back from site, against what the plan gives.
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "exports/exchange_diff.h"
#include "exports/exports.h"

namespace greymet::exports {

// How a file relates to what the plan gives.
enum class FileState : std::uint8_t {
  same,         // byte for byte
  line_ends,    // the same lines: an editor or version control has changed their ends
  saved_again,  // a workbook that another program has saved: every cell is the same
  missing,      // not there
  other_plan,   // of another exchange: its fingerprint differs
  changed,      // the fingerprint is right and something else is not
  left_over     // of a controller or slave that the plan has no more
};
// "the same", "missing", ...
[[nodiscard]] std::string_view to_string(FileState state);
// Nothing of what it says differs.
[[nodiscard]] bool gives_the_same(FileState state);

// One file, and what is different in it.
struct ComparedFile {
  std::string name;
  FileState state = FileState::same;
  std::string detail;           // "line 12: expected ..., found ..."; empty where the same
  std::vector<Change> changes;  // of an exchange.json: from what the plan gives to what is there
};

// Gives the content of a file by its name in the folder; nothing where there is none.
using FileReader = std::function<std::optional<std::string>(const std::string& name)>;

// One entry a file of `expected`, in its order, then those of `present` that nothing explains.
// `present`: names that are there and look like exports.
[[nodiscard]] std::vector<ComparedFile> compare_files(const std::vector<ExportedFile>& expected,
                                                      const FileReader& read,
                                                      const std::vector<std::string>& present);

// One row a file.
[[nodiscard]] tables::Table comparison_table(const std::vector<ComparedFile>& files);
// {"same", "files": [{"file","state","detail","changes":[...]}]}
[[nodiscard]] std::string comparison_json(const std::vector<ComparedFile>& files);

}  // namespace greymet::exports
