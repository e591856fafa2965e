// Marks that somebody left out or wrote in the way of another language: brackets of headings, rows
// and lists, the = between key and value, ; and : and //. Found by putting them right and reading
// again. Not for use outside this folder.
#pragma once

#include <cstddef>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "files/toml_scan.h"
#include "toml_slips.h"

namespace greymet::files::internal {

// So many bytes from `at` on become `with`.
struct MarkEdit {
  std::size_t at = 0;
  std::size_t count = 0;
  std::string with;
};

// What is wrong there, and what to write.
struct WrongMark {
  Span place;  // to be marked
  std::string message;
  std::string title;            // of the fix
  std::vector<MarkEdit> edits;  // as people write it, by place
  std::string mended;           // the text so that it can be read on: nothing behind has moved
};

// The slip because of which the parser gives up at byte `error_at`: put right, it gets beyond that
// line; with a = further in it; with a bracket, where people may have meant to go on in the next
// line, beyond that as well. `open`: a list or
// inline table there that lacks its bracket, or null. Nothing where there is none such. Costs a
// reading of the text for each mark that is tried, six at most.
[[nodiscard]] std::optional<WrongMark> wrong_mark(std::string_view text, std::size_t error_at,
                                                  const TomlNode* open, bool in_list,
                                                  const FirstError& first_error);

}  // namespace greymet::files::internal
