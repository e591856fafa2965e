#include "toml_marks.h"

#include <algorithm>

#include <fmt/format.h>

#include "model/ascii_text.h"
#include "toml_hints.h"

namespace greymet::files::internal {

namespace {

bool blank(char c) {
  return c == ' ' || c == '\t' || c == '\r';
}

// One line of the text, without its comment.
struct Line {
  std::size_t begin = 0;  // of its first word
  std::size_t end = 0;    // behind its last word
  std::size_t whole_end = 0;
  [[nodiscard]] bool empty() const { return begin >= end; }
};

Line line_at(std::string_view text, std::size_t at) {
  at = std::min(at, text.size());
  const std::size_t before = at == 0 ? std::string_view::npos : text.rfind('\n', at - 1);
  Line line;
  line.begin = before == std::string_view::npos ? 0 : before + 1;
  line.whole_end = std::min(text.find('\n', at), text.size());
  while (line.begin < line.whole_end && blank(text[line.begin])) ++line.begin;
  line.end = line.whole_end;
  char quote = 0;
  for (std::size_t i = line.begin; i < line.whole_end; ++i) {
    if (quote != 0) {
      if (text[i] == quote) quote = 0;
    } else if (text[i] == '"' || text[i] == '\'') {
      quote = text[i];
    } else if (text[i] == '#') {
      line.end = i;
      break;
    }
  }
  while (line.end > line.begin && blank(text[line.end - 1])) --line.end;
  return line;
}

std::string_view part(std::string_view text, std::size_t begin, std::size_t end) {
  return begin >= end ? std::string_view() : text.substr(begin, end - begin);
}

std::string shown_start(std::string_view text) {
  return std::string(model::quoted_start(text));
}

std::string edited_text(std::string_view text, const std::vector<MarkEdit>& edits) {
  std::string out;
  std::size_t at = 0;
  for (const MarkEdit& each : edits) {
    out.append(text.substr(at, each.at - at)).append(each.with);
    at = each.at + each.count;
  }
  return out.append(text.substr(at));
}

// Part of a name in a heading, as it may be written without quotes.
bool in_heading(char c) {
  return is_bare(c) || c == '.' || c == '"' || c == '\'' || c == ' ' || c == '\t';
}

// How far the parser has to get with a mark put right.
enum class Reach : std::uint8_t { further, next_line, line_after };

// What might be meant.
struct Candidate {
  WrongMark slip;
  Reach reach = Reach::next_line;
};

// Lists of rows, which are headed by two brackets.
bool is_headed_twice(std::string_view name) {
  return name.starts_with("exchange.") || name.starts_with("supervision.") ||
         name.starts_with("review.");
}

class Candidates {
 public:
  Candidates(std::string_view text, std::size_t error_at)
      : text_(text), at_(std::min(error_at, text.size())), line_(line_at(text, at_)) {
    // of what a line lacks at its end the parser may complain in the next one
    if (line_.empty() && line_.begin > 0) line_ = line_at(text, previous(at_));
  }

  std::vector<Candidate> all(const TomlNode* open, bool in_list) {
    heading();
    comment();
    if (in_list) row();
    table();
    assignment();
    semicolon();
    if (open != nullptr) unclosed(*open);
    return std::move(out_);
  }

 private:
  [[nodiscard]] std::size_t previous(std::size_t at) const {
    const std::size_t begin = at == 0 ? std::string_view::npos : text_.rfind('\n', at - 1);
    return begin == std::string_view::npos ? 0 : begin;
  }
  [[nodiscard]] std::string_view words() const { return part(text_, line_.begin, line_.end); }

  // `mended` where it is not what people would write.
  void add(Span place, std::string message, std::string title, std::vector<MarkEdit> edits,
           Reach reach = Reach::next_line, const std::vector<MarkEdit>& mended = {}) {
    std::string text = edited_text(text_, mended.empty() ? edits : mended);
    WrongMark slip{place, std::move(message), std::move(title), std::move(edits), std::move(text)};
    out_.push_back({std::move(slip), reach});
  }

  void heading() {
    const std::string_view own = words();
    const std::size_t opens = std::min(own.find_first_not_of('['), own.size());
    std::size_t last = own.find_last_not_of(']');
    if (last == std::string_view::npos || opens > last) return;
    ++last;
    const std::size_t closes = own.size() - last;
    const std::string_view name = own.substr(opens, last - opens);
    const bool is_name = std::all_of(name.begin(), name.end(), in_heading);
    constexpr std::size_t most = 2;
    if (!is_name || opens > most || closes > most || opens + closes == 0) return;
    const Span place{line_.begin, line_.end};
    const std::size_t wanted = opens == closes                ? opens
                               : std::min(opens, closes) == 0 ? std::max(opens, closes)
                               : is_headed_twice(name)        ? 2
                                                              : 1;
    const std::string right =
        std::string(wanted, '[') + std::string(name) + std::string(wanted, ']');
    const bool lacks = std::min(opens, closes) < wanted;
    if (opens != closes) {
      add(place,
          fmt::format("the heading {} {} at its {}", shown_start(own),
                      lacks ? "lacks a bracket" : "has a bracket too many",
                      (lacks ? opens < wanted : opens > wanted) ? "begin" : "end"),
          "write " + right, {{line_.begin, own.size(), right}});
      return;
    }
    // the last part of a name that has blanks in it
    const std::size_t blank_at = name.find_first_of(" \t");
    if (blank_at == std::string_view::npos || name.find_first_of("\"'") != std::string_view::npos) {
      return;
    }
    const std::size_t dot = name.rfind('.', blank_at);
    const std::size_t begin = dot == std::string_view::npos ? 0 : dot + 1;
    const std::string quoted =
        fmt::format("{0}{1}\"{2}\"{3}", std::string(wanted, '['), name.substr(0, begin),
                    name.substr(begin), std::string(wanted, ']'));
    add(place,
        fmt::format("a name with a blank stands in quotes in the heading {}", shown_start(own)),
        "write " + quoted, {{line_.begin, own.size(), quoted}});
  }

  void comment() {
    const std::size_t slashes = text_.substr(0, line_.end).find("//", line_.begin);
    if (slashes == std::string_view::npos || slashes > at_ + 2) return;
    add({slashes, slashes + 2}, "comments begin with #, not with //", "write #",
        {{slashes, 2, "#"}}, Reach::next_line, {{slashes, 2, "# "}});
  }

  // `title "x"` and `title: "x"`; what stands in front of the place where the parser stops is a
  // key.
  void assignment() {
    std::size_t end = at_;
    while (end > line_.begin && blank(text_[end - 1])) --end;
    std::size_t begin = end;
    const bool in_quotes = end > line_.begin + 1 && text_[end - 1] == '"';
    if (in_quotes) begin = std::max(line_.begin, text_.rfind('"', end - 2));
    while (begin > line_.begin && (is_bare(text_[begin - 1]) || text_[begin - 1] == '.')) --begin;
    if (begin == end || at_ >= line_.end) return;
    const std::string key(part(text_, begin, end));
    if (text_[at_] == ':') {
      add({at_, at_ + 1}, fmt::format("between `{}` and its value stands =, not :", key),
          fmt::format("write = behind `{}`", key), {{end, at_ + 1 - end, " ="}}, Reach::further,
          {{at_, 1, "="}});
    } else if (at_ > end) {
      add({begin, end}, fmt::format("between `{}` and its value an = is missing", key),
          fmt::format("write = behind `{}`", key), {{end, 0, " ="}}, Reach::further,
          {{end, 1, "="}});
    }
  }

  void semicolon() {
    const std::size_t semicolon = text_.substr(0, line_.end).rfind(';');
    if (semicolon == std::string_view::npos || semicolon < line_.begin) return;
    if (semicolon + 1 != line_.end) return;
    const bool after_row = semicolon > line_.begin && text_[semicolon - 1] == '}';
    if (after_row) {
      add({semicolon, semicolon + 1}, "rows are told apart by commas, not by ;", "write ,",
          {{semicolon, 1, ","}});
    }
    add({semicolon, semicolon + 1}, "a line ends without ;", "leave ; out", {{semicolon, 1, ""}},
        Reach::next_line, {{semicolon, 1, " "}});
  }

  // How many = there are outside of texts and brackets.
  static std::size_t outer_equals(std::string_view words) {
    std::size_t count = 0;
    int depth = 0;
    char quote = 0;
    for (const char c : words) {
      if (quote != 0) {
        if (c == quote) quote = 0;
      } else if (c == '"' || c == '\'') {
        quote = c;
      } else if (c == '{' || c == '[') {
        ++depth;
      } else if (c == '}' || c == ']') {
        --depth;
      } else if (c == '=' && depth == 0) {
        ++count;
      }
    }
    return count;
  }

  // One key with its value is no row: the list in front of it has not ended.
  void list_before(std::string_view key) {
    Line last = line_at(text_, previous(line_.begin));
    while (last.empty() && last.begin > 0) last = line_at(text_, previous(last.begin));
    if (last.empty()) return;
    add({line_.begin, line_.begin + key.size()},
        fmt::format("the list in front of `{}` lacks its ]", shown_start(key)),
        fmt::format("write ] in a line before `{}`", shown_start(key)),
        {{last.whole_end, 0, "\n]"}}, Reach::next_line, {{last.end, 0, "]"}});
  }

  // A row of a list without its brackets.
  void row() {
    const std::string_view own = words();
    std::size_t key = 0;
    while (key < own.size() && is_bare(own[key])) ++key;
    std::size_t equals = key;
    while (equals < own.size() && blank(own[equals])) ++equals;
    if (key == 0 || equals == own.size() || own[equals] != '=') return;
    if (outer_equals(own) < 2) return list_before(own.substr(0, key));
    const std::size_t first = line_.begin;
    std::size_t last = line_.end;
    if (text_[last - 1] == ',') --last;
    const bool has_end =
        std::count(own.begin(), own.end(), '}') > std::count(own.begin(), own.end(), '{');
    const bool has_room = first > 0 && text_[first - 1] == ' ';
    std::vector<MarkEdit> edits{{first, 0, "{ "}};
    std::vector<MarkEdit> mended{has_room ? MarkEdit{first - 1, 1, "{"} : MarkEdit{first, 0, "{"}};
    if (!has_end) {
      edits.push_back({last, 0, " }"});
      mended.push_back({last, 0, "}"});
    }
    add({first, line_.end},
        has_end
            ? fmt::format("a row begins with {{, this one with {}", shown_start(own.substr(0, key)))
            : std::string("a row stands between { and }"),
        has_end ? fmt::format("write {{ before {}", shown_start(own.substr(0, key)))
                : std::string("write { and } around it"),
        std::move(edits), Reach::line_after, mended);
  }

  // A table at a key, or in a list, without its first bracket: `reply = typical = "5ms" }`.
  void table() {
    std::size_t begin = std::min(at_, line_.end);
    while (begin > line_.begin && is_bare(text_[begin - 1])) --begin;
    std::size_t end = begin;
    while (end < line_.end && is_bare(text_[end])) ++end;
    std::size_t equals = end;
    while (equals < line_.end && blank(text_[equals])) ++equals;
    if (begin == end || equals == line_.end || text_[equals] != '=') return;
    std::size_t before = begin;
    while (before > line_.begin && blank(text_[before - 1])) --before;
    const bool at_key = before > line_.begin && text_[before - 1] == '=';
    const bool in_brackets = before > line_.begin && text_[before - 1] == '[';
    if (!at_key && !in_brackets) return;
    const bool has_room = before < begin;
    const std::string key(part(text_, begin, end));
    add({begin, end}, fmt::format("before `{}` a {{ is missing", key),
        fmt::format("write {{ before {}", key), {{begin, 0, has_room ? "{ " : "{"}},
        Reach::next_line, {has_room ? MarkEdit{begin - 1, 1, "{"} : MarkEdit{begin, 0, "{"}});
  }

  void unclosed(const TomlNode& open) {
    const std::size_t begin = open.value.begin;
    const bool is_list = text_[begin] == '[';
    // the bracket that closes an inner table may be the outer one's, and keys stand in the wrong
    // one
    const Line own = line_at(text_, begin);
    const TomlNode* inner = nullptr;
    for (const TomlNode& each : open.parts) {
      if (each.whole.begin < own.end) inner = &each;
    }
    const bool ends_with_inner =
        !is_list && inner != nullptr && !inner->value.empty() && text_[inner->value.begin] == '{';
    if (ends_with_inner) return;
    // behind the last words of a list; of an inline table, which TOML wants on one line, of that
    Line last = is_list ? line_at(text_, std::max(open.value.end, begin + 1) - 1) : own;
    while (last.empty() && last.begin > begin) last = line_at(text_, previous(last.begin));
    std::size_t end = std::min(std::max(open.value.end, begin + 1), last.end);
    if (!is_list && end > begin + 1 && text_[end - 1] == ',') --end;
    if (end <= begin) return;
    const auto opened =
        1 + std::count(text_.begin(), text_.begin() + static_cast<std::ptrdiff_t>(begin), '\n');
    const bool over_lines = part(text_, begin, end).find('\n') != std::string_view::npos;
    const std::string bracket = is_list ? "]" : "}";
    const MarkEdit written = !is_list     ? MarkEdit{end, 0, " }"}
                             : over_lines ? MarkEdit{last.whole_end, 0, "\n]"}
                                          : MarkEdit{end, 0, "]"};
    add({begin, begin + 1},
        over_lines ? fmt::format("the list that begins in line {} lacks its ]", opened)
        : is_list  ? std::string("the list that begins here lacks its ]")
                   : std::string("what begins here with { lacks its }"),
        over_lines ? std::string("write ] in a line behind its last row") : "write " + bracket,
        {written}, Reach::line_after, {{end, 0, bracket}});
  }

  std::string_view text_;
  std::size_t at_;
  Line line_;
  std::vector<Candidate> out_;
};

std::size_t line_number(std::string_view text, std::size_t at) {
  return static_cast<std::size_t>(std::count(
      text.begin(), text.begin() + static_cast<std::ptrdiff_t>(std::min(at, text.size())), '\n'));
}

// The line of the first words behind the line of a byte.
std::size_t next_line_with_words(std::string_view text, std::size_t at) {
  std::size_t end = std::min(text.find('\n', at), text.size());
  while (end < text.size()) {
    const Line line = line_at(text, end + 1);
    if (!line.empty()) return line_number(text, line.begin);
    end = line.whole_end;
  }
  return line_number(text, text.size());
}

}  // namespace

std::optional<WrongMark> wrong_mark(std::string_view text, std::size_t error_at,
                                    const TomlNode* open, bool in_list,
                                    const FirstError& first_error) {
  constexpr std::size_t most_tried = 6;
  auto candidates = Candidates(text, error_at).all(open, in_list);
  if (candidates.size() > most_tried) candidates.resize(most_tried);
  const std::size_t line = line_number(text, error_at);
  const std::size_t next_line = next_line_with_words(text, error_at);
  for (Candidate& each : candidates) {
    const auto next = first_error(each.slip.mended);
    if (!next) return std::move(each.slip);
    const std::size_t reached = line_number(each.slip.mended, *next);
    constexpr std::size_t more = 2;  // bytes
    const bool helps = each.reach == Reach::further     ? *next > error_at + more
                       : each.reach == Reach::next_line ? reached > line
                                                        : reached > next_line;
    if (helps) return std::move(each.slip);
  }
  return std::nullopt;
}

}  // namespace greymet::files::internal
