// Changing several files of a plan's folder together: all of them or none, also when the program is
// killed in between.
//
// Before the first file is touched, a journal in the folder says what stood where and what is to
// stand there. A run that is killed leaves it; the next one reads it and puts back what stood
// there. Nothing outside the folder is ever written, whatever links lead there and whenever they
// are made: files are reached from the folder's descriptor without following a link.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <tl/expected.hpp>
#include <vector>

#include "files/file_source.h"

namespace greymet::files {

// A file with its text before and after.
struct ChangedFile {
  std::string name;                   // its path
  std::optional<std::string> before;  // nothing: it is new
  std::string after;
};

// The folder that a plan lies in: "." where its path names none.
[[nodiscard]] std::string folder_of_plan(const std::string& plan);

// Owner, permissions, extended attributes and hard links of files that exist stay; of a link within
// the folder the file it leads to is rewritten. What changed meanwhile, lies outside or may not be
// written is refused, and then nothing is changed at all.
[[nodiscard]] tl::expected<void, FileError> rewrite_files(const std::string& folder,
                                                          const std::vector<ChangedFile>& changed);

// What an interrupted run left behind, and what became of it.
struct Mended {
  std::vector<std::string> restored;  // files that are again as they were
  std::vector<std::string> left;      // changed by somebody since, and left as they are
};
// Puts back what an interrupted rewrite_files() of this folder left half done. Nothing where there
// was none, or where it is still going on.
[[nodiscard]] std::optional<Mended> mend_interrupted(const std::string& folder);

}  // namespace greymet::files
