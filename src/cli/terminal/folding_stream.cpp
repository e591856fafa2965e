#include "cli/folding_stream.h"

#include <algorithm>
#include <string_view>

namespace greymet::cli {

namespace {

int unfolded_index() {
  static const int index = std::ios_base::xalloc();
  return index;
}

// What one step of a line is: a character, or a sequence that changes the colour and has no width.
struct LineStep {
  std::size_t bytes = 1;
  bool seen = true;      // takes a column
  bool is_plain = true;  // neither moves the cursor nor is it broken
};

LineStep step_at(std::string_view line, std::size_t at) {
  const char c = line[at];
  if (c == '\r') return {1, false, false};
  if (c != '\x1b') {
    // the bytes that continue a code point belong to it
    std::size_t bytes = 1;
    while (at + bytes < line.size() &&
           (static_cast<unsigned char>(line[at + bytes]) & 0xC0U) == 0x80U) {
      ++bytes;
    }
    return {bytes, true, true};
  }
  if (at + 1 >= line.size() || line[at + 1] != '[') return {1, false, false};
  std::size_t end = at + 2;
  while (end < line.size() && (line[end] < '@' || line[end] > '~')) ++end;
  const bool colour = end < line.size() && line[end] == 'm';
  return {std::min(end + 1, line.size()) - at, false, colour};
}

// "  { name = ... }," of a plan.
bool is_row_of_plan(std::string_view line) {
  const std::size_t first = line.find_first_not_of(" +-#");
  const std::size_t last = line.find_last_not_of(" ,");
  return first != std::string_view::npos && line[first] == '{' && line[last] == '}';
}

// Where what is folded goes on: below the last column of a table that begins in the left half, else
// a little behind the begin of the line.
std::size_t hanging(std::string_view line, std::size_t width) {
  constexpr std::size_t little = 4;
  std::size_t column = 0;
  std::size_t blanks = 0;
  std::size_t indent = 0;
  bool begun = false;
  for (std::size_t at = 0; at < line.size() && column < width / 2;) {
    const LineStep step = step_at(line, at);
    if (step.seen) {
      if (line[at] == ' ') {
        ++blanks;
      } else {
        if (!begun) indent = column + little;
        if (begun && blanks >= 2) indent = column;
        begun = true;
        blanks = 0;
      }
      ++column;
    }
    at += step.bytes;
  }
  return std::min(indent, width / 2);
}

}  // namespace

void write_unfolded(std::ostream& stream) {
  stream.iword(unfolded_index()) = 1;
}

std::string folded_line(const std::string& line, std::size_t width, std::size_t column) {
  std::size_t seen = column;
  for (std::size_t at = 0; at < line.size();) {
    const LineStep step = step_at(line, at);
    if (!step.is_plain) return line;
    seen += step.seen ? 1 : 0;
    at += step.bytes;
  }
  if (seen <= width || is_row_of_plan(line)) return line;
  // what stands far to the right under something moves to the left
  const std::size_t first = line.find_first_not_of(' ');
  if (column == 0 && first != std::string::npos && first > width / 2) {
    return folded_line(std::string(width / 2, ' ') + line.substr(first), width);
  }
  const std::size_t indent = hanging(line, width);
  std::string out;
  std::size_t blank = std::string::npos;  // the last one in `out` at which to fold
  std::size_t after_blank = 0;            // columns behind it
  bool has_words = column > 0;            // on this line, before the blank
  seen = column;
  for (std::size_t at = 0; at < line.size();) {
    const LineStep step = step_at(line, at);
    const bool is_blank = line[at] == ' ';
    if (step.seen && is_blank && has_words) {
      blank = out.size();
      after_blank = 0;
    } else if (step.seen) {
      has_words = has_words || !is_blank;
      ++after_blank;
    }
    out.append(line, at, step.bytes);
    seen += step.seen ? 1 : 0;
    at += step.bytes;
    if (seen <= width || blank == std::string::npos || is_blank) continue;
    // the blank, and those before it, become the end of the line
    std::size_t from = blank;
    while (from > 0 && out[from - 1] == ' ') --from;
    out.replace(from, blank + 1 - from, "\n" + std::string(indent, ' '));
    seen = indent + after_blank;
    blank = std::string::npos;
    has_words = true;
  }
  return out;
}

FoldingBuffer::FoldingBuffer(std::ostream& stream, std::size_t width)
    : stream_(stream), to_(stream.rdbuf(this)), width_(std::max<std::size_t>(20, width)) {}

FoldingBuffer::~FoldingBuffer() {
  sync();
  stream_.rdbuf(to_);
}

void FoldingBuffer::pass_line() {
  const bool fold = stream_.iword(unfolded_index()) == 0;
  const std::string text = fold ? folded_line(line_, width_, column_) : line_;
  const auto size = static_cast<std::streamsize>(text.size());
  if (to_->sputn(text.data(), size) != size) failed_ = true;
  for (std::size_t at = 0; at < text.size();) {
    const LineStep step = step_at(text, at);
    if (text[at] == '\n' || !step.is_plain) {
      column_ = 0;
    } else if (step.seen) {
      ++column_;
    }
    at += step.bytes;
  }
  line_.clear();
}

void FoldingBuffer::take(char c) {
  if (c != '\n') {
    line_ += c;
    return;
  }
  pass_line();
  column_ = 0;
  if (to_->sputc('\n') == traits_type::eof()) failed_ = true;
}

FoldingBuffer::int_type FoldingBuffer::overflow(int_type c) {
  if (!traits_type::eq_int_type(c, traits_type::eof())) take(traits_type::to_char_type(c));
  return failed_ ? traits_type::eof() : traits_type::not_eof(c);
}

std::streamsize FoldingBuffer::xsputn(const char* text, std::streamsize size) {
  for (std::streamsize i = 0; i < size; ++i) take(text[i]);
  return failed_ ? 0 : size;
}

int FoldingBuffer::sync() {
  if (!line_.empty()) pass_line();
  return to_->pubsync() == 0 && !failed_ ? 0 : -1;
}

}  // namespace greymet::cli
