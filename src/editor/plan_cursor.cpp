#include "plan_cursor.h"

#include <algorithm>

#include "editor/plan_text.h"

namespace greymet::editor::internal {

using files::Span;

namespace {

struct Frame {
  char bracket = '\0';  // '{' or '[', or none for the table of a header
  std::string path;     // of a list, that of its elements
  std::vector<std::string> names;
  std::string list_key;  // of a list: whose it is
  std::string key;
  bool expects_value = false;
  std::map<std::string, std::string> keys;
};

class CursorFinder {
 public:
  CursorFinder(std::string_view text, std::size_t byte)
      : text_(text), cursor_(std::min(byte, text.size())) {
    frames_.emplace_back();
  }

  std::optional<PlanCursor> run() {
    while (at_ < text_.size() && !done_) step();
    if (!found_ && !lost_) found_at(Span{cursor_, cursor_}, false);
    if (lost_) return std::nullopt;
    out_.keys = std::move(frames_.size() > depth_ ? frames_[depth_].keys : closed_);
    if (depth_ > 0 && frames_.size() > depth_) {
      for (std::size_t i = depth_; i-- > 0;) {
        if (frames_[i].bracket != '[') {
          out_.row = frames_[i].keys;
          break;
        }
      }
    } else {
      out_.row = row_;
    }
    return std::move(out_);
  }

 private:
  Frame& top() { return frames_.back(); }

  void step() {
    const char c = text_[at_];
    // the cursor in front of what is no word
    const bool word = !is_delimiter(c) || c == '"' || c == '\'';
    if (!found_ && at_ >= cursor_ && !word) found_at({cursor_, cursor_}, false);
    if (done_) return;
    if (c == '\n') return new_line();
    if (c == ' ' || c == '\t' || c == '\r') {
      ++at_;
      return;
    }
    if (c == '#') return comment();
    if (c == '[' && top().bracket == '\0' && top().key.empty() && begins_line_) return header();
    begins_line_ = false;
    switch (c) {
      case '{':
      case '[': return open(c);
      case '}':
      case ']': return close(c == '}' ? '{' : '[');
      case '=':
        top().expects_value = !top().key.empty();
        ++at_;
        return;
      case ',':
        if (top().bracket != '[') top().key.clear();
        top().expects_value = false;
        ++at_;
        return;
      default: return read_word();
    }
  }

  static bool is_delimiter(char c) {
    return c == ' ' || c == '\t' || c == '\n' || c == '\r' || c == ',' || c == '=' || c == '[' ||
           c == ']' || c == '{' || c == '}' || c == '#';
  }

  void new_line() {
    ++at_;
    begins_line_ = true;
    // no inline table goes on in the next line
    while (frames_.size() > 1 && top().bracket == '{') pop();
    if (frames_.size() == 1) {
      top().key.clear();
      top().expects_value = false;
    }
  }

  void comment() {
    const std::size_t end = std::min(text_.find('\n', at_), text_.size());
    if (!found_ && cursor_ > at_ && cursor_ <= end) lost_ = done_ = true;
    at_ = end;
  }

  void header() {
    const std::size_t end = std::min(text_.find('\n', at_), text_.size());
    if (!found_ && cursor_ >= at_ && cursor_ <= end) {
      lost_ = done_ = true;
      return;
    }
    if (found_) {
      done_ = true;  // its table ends
      return;
    }
    const std::size_t first = text_.find_first_not_of('[', at_);
    const std::size_t close = std::min(text_.find(']', at_), end);
    Frame frame;
    if (first < close) {
      // the words of a header, as the plan's own reader takes them apart
      const std::string line = std::string(text_.substr(at_, end - at_)) + "\n";
      const PlanText head(line);
      const TableText& table = head.tables().back();
      frame.path = table.path;
      for (const NamePart& name : table.names) frame.names.push_back(name.name);
    }
    frames_.clear();
    frames_.push_back(std::move(frame));
    at_ = end;
    begins_line_ = false;
  }

  void open(char bracket) {
    ++at_;
    Frame frame;
    frame.bracket = bracket;
    const Frame& around = top();
    if (around.bracket == '[') {
      frame.path = around.path;
      frame.names = around.names;
      frame.list_key = around.list_key;
    } else {
      frame.path = path_below(around.path, around.key);
      frame.names = around.names;
      if (has_names(around.path)) frame.names.push_back(around.key);
      frame.list_key = around.key;
    }
    frames_.push_back(std::move(frame));
  }

  void close(char bracket) {
    ++at_;
    const bool any = std::any_of(frames_.begin(), frames_.end(),
                                 [&](const Frame& f) { return f.bracket == bracket; });
    if (!any) return;
    while (top().bracket != bracket) pop();
    pop();
    if (frames_.empty()) frames_.emplace_back();
    if (top().bracket != '[') top().expects_value = false;
  }

  void pop() {
    if (found_ && frames_.size() == depth_ + 1) {
      closed_ = std::move(top().keys);
      for (std::size_t i = depth_; i-- > 0;) {
        if (frames_[i].bracket != '[') {
          row_ = frames_[i].keys;
          break;
        }
      }
      done_ = true;
    }
    frames_.pop_back();
  }

  void read_word() {
    const char quote = text_[at_];
    const bool quoted = quote == '"' || quote == '\'';
    const std::size_t begin = at_;
    Span inner{begin, begin};
    if (quoted && text_.substr(at_).starts_with(std::string(3, quote))) {
      const std::size_t end = text_.find(std::string(3, quote), at_ + 3);
      at_ = end == std::string_view::npos ? text_.size() : end + 3;
      inner = {begin + 3, std::max(begin + 3, at_ - 3)};
    } else if (quoted) {
      ++at_;
      while (at_ < text_.size() && text_[at_] != quote && text_[at_] != '\n') ++at_;
      inner = {begin + 1, at_};
      if (at_ < text_.size() && text_[at_] == quote) ++at_;
    } else {
      while (at_ < text_.size() && !is_delimiter(text_[at_])) ++at_;
      inner = {begin, at_};
    }
    const std::size_t last = quoted ? std::max(inner.end, begin + 1) : at_;
    if (!found_ && cursor_ <= last && cursor_ >= begin) {
      const bool inside = quoted && cursor_ >= inner.begin;
      found_at(inside || !quoted ? inner : Span{cursor_, cursor_}, inside);
    }
    const std::string word(text_.substr(inner.begin, inner.end - inner.begin));
    Frame& frame = top();
    if (frame.bracket == '[') return;
    if (frame.expects_value) {
      frame.keys[frame.key] = word;
    } else {
      const bool own = found_ && cursor_ >= begin && cursor_ <= at_;
      frame.key = word;
      if (!own) frame.keys.try_emplace(word);
    }
  }

  void found_at(Span typed, bool in_quotes) {
    found_ = true;
    depth_ = frames_.size() - 1;
    const Frame& frame = top();
    out_.path = frame.path;
    out_.names = frame.names;
    out_.in_list = frame.bracket == '[';
    out_.in_value = out_.in_list || frame.expects_value;
    out_.key = out_.in_list ? frame.list_key : frame.expects_value ? frame.key : std::string();
    out_.in_quotes = in_quotes;
    out_.typed = typed;
    const std::size_t line = text_.rfind('\n', typed.begin == 0 ? 0 : typed.begin - 1);
    const std::size_t from = line == std::string_view::npos || typed.begin == 0 ? 0 : line + 1;
    out_.begins_line =
        frame.bracket == '\0' &&
        text_.substr(from, typed.begin - std::min(typed.begin, from)).find_first_not_of(" \t") ==
            std::string_view::npos;
    const std::size_t next = text_.find_first_not_of(" \t", typed.end + (in_quotes ? 1 : 0));
    out_.has_equals = next != std::string_view::npos && text_[next] == '=';
    if (out_.in_list && !frame.path.empty()) {
      // a value of a list is one of the key, in the table around it
      const std::size_t dot = frame.path.rfind('.');
      out_.path = dot == std::string::npos ? std::string() : frame.path.substr(0, dot);
    }
  }

  std::string_view text_;
  std::size_t cursor_;
  std::size_t at_ = 0;
  bool begins_line_ = true;
  bool found_ = false;
  bool lost_ = false;
  bool done_ = false;
  std::size_t depth_ = 0;
  std::vector<Frame> frames_;
  std::map<std::string, std::string> closed_;
  std::map<std::string, std::string> row_;
  PlanCursor out_;
};

}  // namespace

std::optional<PlanCursor> plan_cursor(std::string_view text, std::size_t byte) {
  return CursorFinder(text, byte).run();
}

}  // namespace greymet::editor::internal
