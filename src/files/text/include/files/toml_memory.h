// Reading a text again that has hardly changed since it was read: for editors.
#pragma once

#include <memory>
#include <optional>
#include <string>

#include "files/value_tree.h"
#include "model/finding.h"

namespace greymet::files {

// Remembers the rows of lists, `{ ... }` in one line, by their text: those that stand in the next
// text too are not parsed again, wherever they stand then. What comes back is what read_toml()
// gives. Holds what was in the last text. For one thread.
class TomlMemory {
 public:
  TomlMemory();
  ~TomlMemory();
  TomlMemory(const TomlMemory&) = delete;
  TomlMemory& operator=(const TomlMemory&) = delete;

  // As read_toml().
  [[nodiscard]] std::optional<Value> read(const std::string& text, std::uint32_t file,
                                          model::Findings& findings);
  // Rows that the last read() did not parse again.
  [[nodiscard]] std::size_t rows_reused() const;

 private:
  struct Rows;
  std::unique_ptr<Rows> rows_;
};

}  // namespace greymet::files
