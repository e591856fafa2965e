#include "files/toml_scan.h"

#include <algorithm>

namespace greymet::files {
namespace {

constexpr int deepest = 64;
constexpr std::string_view blanks = " \t\r";

class Scanner {
 public:
  explicit Scanner(std::string_view text) : text_(text) {}

  std::vector<TomlNode> statements() {
    if (follows("\xEF\xBB\xBF")) at_ = 3;  // a byte order mark
    std::vector<TomlNode> out;
    while (skip_to_content(), at_ < text_.size()) {
      const std::size_t before = at_;
      out.push_back(peek() == '[' ? header() : pair(false, 0));
      skip_rest_of_line();
      if (at_ == before) ++at_;
    }
    return out;
  }

 private:
  [[nodiscard]] char peek() const { return at_ < text_.size() ? text_[at_] : '\0'; }
  [[nodiscard]] bool follows(std::string_view what) const {
    return text_.substr(at_).starts_with(what);
  }
  void skip_blanks() { at_ = std::min(text_.find_first_not_of(blanks, at_), text_.size()); }
  void skip_rest_of_line() {
    skip_blanks();
    if (peek() == '#') at_ = end_of_line();
  }
  // Past blanks, line breaks and comments.
  void skip_to_content() {
    while (at_ < text_.size()) {
      skip_blanks();
      if (peek() == '#') {
        at_ = end_of_line();
      } else if (peek() == '\n') {
        ++at_;
      } else {
        return;
      }
    }
  }
  [[nodiscard]] std::size_t end_of_line() const {
    return std::min(text_.find('\n', at_), text_.size());
  }
  // [begin, end) without blanks at its end.
  [[nodiscard]] Span trimmed(std::size_t begin, std::size_t end) const {
    while (end > begin && blanks.find(text_[end - 1]) != std::string_view::npos) --end;
    return {begin, end};
  }

  TomlNode header() {
    TomlNode node;
    const std::size_t begin = at_;
    const bool block = follows("[[");
    node.kind = block ? TomlKind::array_header : TomlKind::header;
    at_ += block ? 2 : 1;
    skip_blanks();
    const std::size_t first = at_;
    skip_until("]#\n");
    node.key = trimmed(first, at_);
    while (peek() == ']') ++at_;
    node.whole = {begin, at_};
    return node;
  }

  // Up to one of `stops`, quoted texts skipped.
  void skip_until(std::string_view stops) {
    while (at_ < text_.size() && stops.find(text_[at_]) == std::string_view::npos) {
      if (text_[at_] == '"' || text_[at_] == '\'') {
        quoted();
      } else {
        ++at_;
      }
    }
  }

  TomlNode pair(bool inside, int depth) {
    TomlNode node;
    const std::size_t begin = at_;
    skip_until(inside ? "=,}]#\n" : "=#\n");
    node.key = trimmed(begin, at_);
    if (peek() == '=') {
      ++at_;
      skip_blanks();
      value(inside, depth, node);
    }
    node.whole = node.closed ? trimmed(begin, at_) : Span{begin, node.value.end};
    return node;
  }

  [[nodiscard]] bool escapes(char quote) const {
    return quote == '"' && peek() == '\\' && at_ + 1 < text_.size();
  }
  // A text in any of the four quotings; one that is not closed ends with its line.
  void quoted() {
    const char quote = peek();
    const std::string_view three = quote == '"' ? R"(""")" : "'''";
    if (follows(three)) {
      at_ += 3;
      while (at_ < text_.size() && !follows(three)) {
        at_ += escapes(quote) ? 2U : 1U;
      }
      at_ = std::min(at_ + 3, text_.size());
      while (peek() == quote && at_ > 0 && at_ < text_.size()) ++at_;  // quotes may end the text
      return;
    }
    ++at_;
    while (at_ < text_.size() && peek() != quote && peek() != '\n') {
      at_ += escapes(quote) && text_[at_ + 1] != '\n' ? 2U : 1U;
    }
    if (peek() == quote) ++at_;
  }

  void value(bool inside, int depth, TomlNode& node) {
    const std::size_t begin = at_;
    if (peek() == '"' || peek() == '\'') {
      quoted();
    } else if (depth < deepest && (peek() == '[' || peek() == '{')) {
      if (!list(depth, node)) {
        node.closed = false;
        node.value = {begin, last_content(begin)};
        return;
      }
    }
    // what follows directly belongs to it, however wrong: "a"b, 500ms, {} x
    const std::size_t rest = at_;
    skip_until(inside ? ",}]#\n" : "#\n");
    node.value = trimmed(begin, at_);
    at_ = std::max(rest, node.value.end);
  }

  // The end of what stands between `begin` and here.
  [[nodiscard]] std::size_t last_content(std::size_t begin) const {
    const std::size_t last = text_.substr(0, at_).find_last_not_of(" \t\r\n");
    return last == std::string_view::npos ? begin : std::max(begin, last + 1);
  }

  // The rest of an array or inline table. False if it is not closed: it then ends before the next
  // header, the next row, or a bracket that is not its own.
  bool list(int depth, TomlNode& node) {
    const bool table = peek() == '{';
    const char close = table ? '}' : ']';
    ++at_;
    while (at_ < text_.size()) {
      skip_to_content();
      if (peek() == close) {
        ++at_;
        return true;
      }
      if (peek() == ',') {
        ++at_;
        continue;
      }
      if (at_ >= text_.size() || peek() == ']' || peek() == '}' || header_follows()) {
        return false;
      }
      const std::size_t before = at_;
      TomlNode part;
      if (table) {
        if (peek() == '{') return false;
        part = pair(true, depth + 1);
      } else {
        part.kind = TomlKind::element;
        value(true, depth + 1, part);
        part.whole = part.value;
      }
      node.parts.push_back(std::move(part));
      if (at_ == before) ++at_;
    }
    return false;
  }

  // A line that can only be a header: [name] or [[name]] with nothing behind.
  [[nodiscard]] bool header_follows() const {
    if (peek() != '[') return false;
    std::size_t first = at_;
    while (first > 0 && blanks.find(text_[first - 1]) != std::string_view::npos) --first;
    if (first > 0 && text_[first - 1] != '\n') return false;
    std::string_view line = text_.substr(at_, end_of_line() - at_);
    line = line.substr(0, line.find('#'));
    while (!line.empty() && blanks.find(line.back()) != std::string_view::npos)
      line.remove_suffix(1);
    const std::size_t name = line.find_first_not_of('[');
    if (!line.ends_with(']') || name == std::string_view::npos) return false;
    const char c = line[name];
    const bool letter = (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z');
    return letter && line.find_first_of(",{=") == std::string_view::npos;
  }

  std::string_view text_;
  std::size_t at_ = 0;
};

}  // namespace

std::vector<TomlNode> scan_toml(std::string_view text) {
  return Scanner(text).statements();
}

}  // namespace greymet::files
