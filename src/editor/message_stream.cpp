#include "editor/message_stream.h"

#include <algorithm>
#include <charconv>

#include <fmt/format.h>

#include "model/ascii_text.h"

namespace greymet::editor {

namespace {

constexpr std::string_view header_end = "\r\n\r\n";
constexpr std::string_view length_name = "content-length:";

bool begins_in_any_case(std::string_view text, std::string_view with) {
  return text.size() >= with.size() && model::equal_in_any_case(text.substr(0, with.size()), with);
}

// Of header fields, each on a line; nothing where none states a length that is one.
std::optional<std::size_t> length_in(std::string_view header) {
  std::optional<std::size_t> length;
  for (std::size_t from = 0; from < header.size();) {
    const std::size_t end = std::min(header.find("\r\n", from), header.size());
    std::string_view line = header.substr(from, end - from);
    from = end + 2;
    if (!begins_in_any_case(line, length_name)) continue;
    line.remove_prefix(length_name.size());
    while (line.starts_with(' ')) line.remove_prefix(1);
    while (line.ends_with(' ')) line.remove_suffix(1);
    std::size_t value = 0;
    const auto [stop, error] = std::from_chars(line.data(), line.data() + line.size(), value);
    if (error != std::errc() || stop != line.data() + line.size()) return std::nullopt;
    length = value;
  }
  return length;
}

}  // namespace

void MessageStream::feed(std::string_view bytes) {
  const std::size_t skipped = std::min(skip_, bytes.size());
  skip_ -= skipped;
  waiting_.append(bytes.substr(skipped));
}

std::optional<std::string> MessageStream::next() {
  while (!waiting_.empty()) {
    const std::size_t end = waiting_.find(header_end);
    if (end == std::string::npos) {
      // no header is as long as that: what could still begin one stays
      if (waiting_.size() > longest_header) {
        passed_over_ += waiting_.size() - header_end.size();
        waiting_.erase(0, waiting_.size() - header_end.size());
      }
      return std::nullopt;
    }
    // what is in front of the last line that begins a header is none
    const std::string_view header = std::string_view(waiting_).substr(0, end);
    const auto length = length_in(header);
    const std::size_t body = end + header_end.size();
    if (!length) {
      passed_over_ += body;
      waiting_.erase(0, body);
      continue;
    }
    if (*length > longest_message) {
      const std::size_t here = std::min(*length, waiting_.size() - body);
      skip_ = *length - here;
      passed_over_ += body + *length;
      waiting_.erase(0, body + here);
      continue;
    }
    if (waiting_.size() - body < *length) return std::nullopt;
    std::string message = waiting_.substr(body, *length);
    waiting_.erase(0, body + *length);
    return message;
  }
  return std::nullopt;
}

std::string framed_message(std::string_view json) {
  return fmt::format("Content-Length: {}\r\n\r\n{}", json.size(), json);
}

}  // namespace greymet::editor
