// A file's text by lines and columns: the one walk for reading, excerpts and rewriting.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "model/range.h"

namespace greymet::files {

inline constexpr std::string_view byte_order_mark = "\xEF\xBB\xBF";

// Lines of a text, found once. Lines and columns count from 1, columns in code points, as ranges
// do. Holds a view: the text must outlive it.
class SourceText {
 public:
  explicit SourceText(std::string_view text);

  [[nodiscard]] std::string_view text() const { return text_; }
  [[nodiscard]] std::uint32_t lines() const { return static_cast<std::uint32_t>(starts_.size()); }
  // A line without its line break; empty where there is none of that number.
  [[nodiscard]] std::string_view line(std::uint32_t number) const;
  // The byte of a spot; the end of its line, or of the text, where it lies beyond.
  [[nodiscard]] std::size_t offset(std::uint32_t line, std::uint32_t column) const;
  // The stretch of bytes as a range of file `file`.
  [[nodiscard]] model::Range range(std::size_t begin, std::size_t end, std::uint32_t file) const;

 private:
  [[nodiscard]] std::uint32_t line_of(std::size_t offset) const;
  [[nodiscard]] std::uint32_t column_of(std::uint32_t line, std::size_t offset) const;

  std::string_view text_;
  std::vector<std::size_t> starts_;
};

// "\r\n" where the text's first line ends so, else "\n".
[[nodiscard]] std::string_view line_ending(std::string_view text);

}  // namespace greymet::files
