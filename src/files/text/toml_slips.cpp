#include "toml_slips.h"

#include <algorithm>

#include "toml_hints.h"

namespace greymet::files::internal {

namespace {

bool is_blank(char c) {
  return c == ' ' || c == '\t' || c == '\r';
}

std::size_t begin_of_line(std::string_view text, std::size_t at) {
  const std::size_t before = at == 0 ? std::string_view::npos : text.rfind('\n', at - 1);
  return before == std::string_view::npos ? 0 : before + 1;
}
std::size_t end_of_line(std::string_view text, std::size_t at) {
  return std::min(text.find('\n', at), text.size());
}

// Where the comment of a line begins, or the line ends.
std::size_t end_of_words(std::string_view text, std::size_t begin, std::size_t end) {
  char quote = 0;
  for (std::size_t i = begin; i < end; ++i) {
    if (quote != 0) {
      if (text[i] == quote) quote = 0;
    } else if (text[i] == '"' || text[i] == '\'') {
      quote = text[i];
    } else if (text[i] == '#') {
      return i;
    }
  }
  return end;
}

// Just behind the last thing that is neither blank nor comment in front of the byte.
std::optional<std::size_t> behind_word_before(std::string_view text, std::size_t at) {
  std::size_t end = std::min(at, text.size());
  std::size_t begin = begin_of_line(text, end);
  constexpr int most_lines = 50;
  for (int line = 0; line < most_lines; ++line) {
    std::size_t last = end_of_words(text, begin, end);
    while (last > begin && is_blank(text[last - 1])) --last;
    if (last > begin) return last;
    if (begin == 0) return std::nullopt;
    end = begin - 1;
    begin = begin_of_line(text, end);
  }
  return std::nullopt;
}

std::optional<MissingMark> comma_before(std::string_view text, std::size_t error_at) {
  const auto at = behind_word_before(text, error_at);
  if (!at) return std::nullopt;
  const char last = text[*at - 1];
  const bool ends_value =
      last == '}' || last == ']' || last == '"' || last == '\'' || is_bare(last);
  return ends_value ? std::optional(MissingMark{',', *at, 0}) : std::nullopt;
}

// Without brackets that close what the text itself has not opened: they stand behind it.
std::size_t without_closing(std::string_view text, std::size_t begin, std::size_t end) {
  while (end > begin) {
    std::size_t last = end;
    while (last > begin && is_blank(text[last - 1])) --last;
    if (last == begin || (text[last - 1] != '}' && text[last - 1] != ']')) return end;
    const char opens = text[last - 1] == '}' ? '{' : '[';
    const std::string_view part = text.substr(begin, last - begin);
    if (std::count(part.begin(), part.end(), opens) >=
        std::count(part.begin(), part.end(), text[last - 1])) {
      return end;
    }
    end = last - 1;
    while (end > begin && is_blank(text[end - 1])) --end;
  }
  return end;
}

// Where a text ends that has swallowed what stands behind it: at ", key =", at the bracket that
// closes the row, or at the end of the line.
std::size_t end_of_swallowing(std::string_view text, std::size_t begin, std::size_t end) {
  for (std::size_t i = begin; i < end; ++i) {
    if (text[i] != ',') continue;
    std::size_t k = i + 1;
    while (k < end && is_blank(text[k])) ++k;
    const std::size_t key = k;
    while (k < end && (is_bare(text[k]) || text[k] == '.')) ++k;
    if (k == key) continue;
    while (k < end && is_blank(text[k])) ++k;
    if (k < end && text[k] == '=') return without_closing(text, begin, i);
  }
  std::size_t last = end;
  while (last > begin && (is_blank(text[last - 1]) || text[last - 1] == ',')) --last;
  return without_closing(text, begin, last);
}

// A quote for the last text that ends, or does not end, in front of the byte on its line.
std::optional<MissingMark> quote_before(std::string_view text, std::size_t error_at) {
  const std::size_t end = end_of_line(text, error_at);
  std::size_t line = begin_of_line(text, std::min(error_at, text.size()));
  // of a text that does not end, the parser complains of the next line
  if (error_at == line && line > 0 && line == end) line = begin_of_line(text, line - 1);
  std::optional<std::pair<std::size_t, std::size_t>> last;
  for (std::size_t i = line; i < end && i < error_at;) {
    if (text[i] == '#') break;
    if (text[i] != '"' && text[i] != '\'') {
      ++i;
      continue;
    }
    const std::size_t close = std::min(text.find(text[i], i + 1), end);
    last = std::pair(i, close);
    i = close + 1;
  }
  if (!last) return std::nullopt;
  const std::size_t at = end_of_swallowing(text, last->first + 1, last->second);
  if (at <= last->first + 1) return std::nullopt;
  return MissingMark{text[last->first], at, last->first};
}

std::string with_mark(std::string_view text, const MissingMark& missing) {
  std::string out(text.substr(0, missing.at));
  out += missing.mark;
  return out.append(text.substr(missing.at));
}

}  // namespace

std::optional<MissingMark> missing_mark(std::string_view text, std::size_t error_at,
                                        const FirstError& first_error) {
  std::optional<MissingMark> found;
  for (const auto& candidate : {quote_before(text, error_at), comma_before(text, error_at)}) {
    if (!candidate) continue;
    const auto next = first_error(with_mark(text, *candidate));
    const bool helps = !next || *next > std::max(error_at + 2, end_of_line(text, error_at));
    if (!helps) continue;
    if (found) return std::nullopt;
    found = candidate;
  }
  return found;
}

std::optional<std::string> with_mark_in_place(std::string_view text, const MissingMark& missing) {
  std::string out(text);
  const std::size_t at = missing.at;
  if (at < text.size() && is_blank(text[at]) && text[at] != '\r') {
    out[at] = missing.mark;
    return out;
  }
  // ", fc" as "\",fc": the blank behind the comma is taken
  if (missing.mark != ',' && at + 1 < text.size() && text[at] == ',' && text[at + 1] == ' ') {
    out[at] = missing.mark;
    out[at + 1] = ',';
    return out;
  }
  // " }" as "},"
  if (missing.mark == ',' && at >= 2 && text[at - 1] == '}' && text[at - 2] == ' ') {
    out[at - 2] = '}';
    out[at - 1] = ',';
    return out;
  }
  return std::nullopt;
}

}  // namespace greymet::files::internal
