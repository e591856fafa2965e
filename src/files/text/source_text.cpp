#include "files/source_text.h"

#include <algorithm>

#include "model/utf8_text.h"

namespace greymet::files {
namespace {}  // namespace

SourceText::SourceText(std::string_view text) : text_(text) {
  // a byte order mark is no character of the first line
  starts_.push_back(text.starts_with(byte_order_mark) ? byte_order_mark.size() : 0);
  for (std::size_t at = text.find('\n'); at != std::string_view::npos;
       at = text.find('\n', at + 1)) {
    starts_.push_back(at + 1);
  }
}

std::string_view SourceText::line(std::uint32_t number) const {
  if (number < 1 || number > starts_.size()) return {};
  const std::size_t first = starts_[number - 1];
  const std::size_t end = number < starts_.size() ? starts_[number] - 1 : text_.size();
  std::string_view line = text_.substr(first, end - first);
  if (line.ends_with('\r')) line.remove_suffix(1);
  return line;
}

std::size_t SourceText::offset(std::uint32_t number, std::uint32_t column) const {
  if (number < 1) return 0;
  if (number > starts_.size()) return text_.size();
  const std::string_view text = line(number);
  return starts_[number - 1] + model::advance(text, 0, column > 0 ? column - 1 : 0);
}

model::Range SourceText::range(std::size_t begin, std::size_t end, std::uint32_t file) const {
  const std::uint32_t first = line_of(begin);
  const std::uint32_t last = line_of(end);
  return {file, first, column_of(first, begin), last, column_of(last, end)};
}

std::uint32_t SourceText::line_of(std::size_t offset) const {
  const auto next = std::upper_bound(starts_.begin(), starts_.end(), offset);
  return static_cast<std::uint32_t>(std::max<std::ptrdiff_t>(1, next - starts_.begin()));
}

std::uint32_t SourceText::column_of(std::uint32_t line, std::size_t offset) const {
  const std::size_t first = starts_[line - 1];
  if (offset <= first) return 1;
  return static_cast<std::uint32_t>(1 + model::code_points(text_.substr(first, offset - first)));
}

std::string_view line_ending(std::string_view text) {
  const std::size_t end = text.find('\n');
  return end != std::string_view::npos && end > 0 && text[end - 1] == '\r' ? "\r\n" : "\n";
}

}  // namespace greymet::files
