#include "files/toml_reader.h"

#include <algorithm>
#include <set>

#include <fmt/format.h>
#include <toml++/toml.h>

namespace greymet::files {

using model::Finding;
using model::Findings;
using model::Range;
using model::RuleCode;
using model::Severity;

namespace {

constexpr std::string_view duplicate_key = "greymet-duplicate-";
constexpr int most_duplicates = 20;  // each costs a parse
constexpr std::size_t largest_mended = std::size_t{2} << 20;
constexpr std::size_t longest_line_looked_at = 20'000;  // looking costs time for each value
constexpr int most_parts_of_a_key = 500;                // the parser recurses once a part

using Begin = std::pair<std::uint32_t, std::uint32_t>;  // line, column

Finding syntax_finding(Range place, std::string message, std::string remedy) {
  return {.rule = RuleCode::P01,
          .severity = Severity::error,
          .place = place,
          .subject = {},
          .message = std::move(message),
          .remedy = std::move(remedy)};
}

// The lines of a text, for looking things up around a place.
class Lines {
 public:
  explicit Lines(std::string_view text) {
    while (true) {
      const std::size_t end = text.find('\n');
      lines_.push_back(text.substr(0, end));
      if (end == std::string_view::npos) break;
      text.remove_prefix(end + 1);
    }
  }
  [[nodiscard]] std::string_view line(std::uint32_t number) const {
    return number >= 1 && number <= lines_.size() ? lines_[number - 1] : std::string_view();
  }
  [[nodiscard]] std::uint32_t count() const { return static_cast<std::uint32_t>(lines_.size()); }
  // Index of the byte at a column, which counts code points from 1.
  [[nodiscard]] std::size_t byte_at(std::uint32_t number, std::uint32_t column) const {
    const std::string_view text = line(number);
    std::size_t at = 0;
    for (std::uint32_t c = 1; c < column && at < text.size(); ++c) {
      ++at;
      while (at < text.size() && (static_cast<unsigned char>(text[at]) & 0xC0U) == 0x80) ++at;
    }
    return at;
  }

 private:
  std::vector<std::string_view> lines_;
};

bool is_bare(char c) {
  return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '_' ||
         c == '-';
}

// A key of absurdly many parts, told by its dots, or nothing.
std::optional<Range> absurd_key(std::string_view text, std::uint32_t file) {
  int dots = 0;
  Range place{file, 1, 1, 0, 0};
  for (char c : text) {
    if (c == '\n') {
      ++place.line;
      place.column = 1;
      dots = 0;
      continue;
    }
    ++place.column;
    if (c == '.') {
      if (++dots > most_parts_of_a_key) return place;
    } else if (!is_bare(c) && c != ' ' && c != '\t' && c != '"' && c != '\'') {
      dots = 0;
    }
  }
  return std::nullopt;
}

std::string_view trimmed(std::string_view text) {
  const std::size_t first = text.find_first_not_of(" \t\r");
  if (first == std::string_view::npos) return {};
  return text.substr(first, text.find_last_not_of(" \t\r") - first + 1);
}

// The word around a byte: what somebody typed where TOML wanted something else.
std::string_view word_at(std::string_view line, std::size_t at) {
  at = std::min(at, line.size());
  const auto in_word = [](char c) { return is_bare(c) || c == '.' || c == '#'; };
  std::size_t first = at;
  while (first > 0 && in_word(line[first - 1])) --first;
  std::size_t end = at;
  while (end < line.size() && in_word(line[end])) ++end;
  return line.substr(first, end - first);
}

// The cure for the common slips; a general one else.
std::string hint_for(std::string_view description, std::string_view line, std::size_t at) {
  // The parser stops inside the word, or just behind it.
  const bool behind = at > 0 && (at >= line.size() || line[at] == ' ' || line[at] == '\r');
  const std::string_view word = word_at(line, behind ? at - 1 : at);
  const auto ends_with_any = [word](std::initializer_list<std::string_view> tails) {
    return std::any_of(tails.begin(), tails.end(),
                       [word](auto tail) { return word.ends_with(tail); });
  };
  const bool begins_with_digit = !word.empty() && word.front() >= '0' && word.front() <= '9';
  if (description.find("inline table") != std::string_view::npos && at >= line.size()) {
    return "TOML allows no line break inside { }: write the row on one line, or as a "
           "[[exchange.transactions]] block";
  }
  if (description.find("utf-8") != std::string_view::npos) {
    return "save the file as UTF-8 text";
  }
  if (begins_with_digit && description.find("leading zero") != std::string_view::npos) {
    return fmt::format("numbers have no leading zeros; a reference is written in quotes: \"{}\"",
                       word);
  }
  if (begins_with_digit && ends_with_any({"ms", "us", "min", "s"})) {
    return fmt::format("a duration is written in quotes: \"{}\"", word);
  }
  if (begins_with_digit && ends_with_any({"h", "H"})) {
    return fmt::format("a hexadecimal number is written \"{}\" in quotes, or 0x{}", word,
                       word.substr(0, word.size() - 1));
  }
  const std::string_view before =
      word.empty() ? std::string_view()
                   : trimmed(line.substr(0, static_cast<std::size_t>(word.data() - line.data())));
  const bool is_value = before.ends_with('=') || before.ends_with('[') || before.ends_with(',');
  if (!begins_with_digit && is_value) {
    return fmt::format("texts are written in quotes: \"{}\"", word);
  }
  return "correct this place; the rest of the file has not been read";
}

// Replaces what is defined twice by something that cannot clash, so that reading can go on.
class DuplicateMender {
 public:
  DuplicateMender(std::string text, std::uint32_t file, Findings& findings)
      : text_(std::move(text)), file_(file), findings_(findings) {}

  [[nodiscard]] const std::string& text() const { return text_; }
  [[nodiscard]] const std::set<Begin>& mended() const { return mended_; }

  // True if the error was a duplicate and has been mended.
  bool mend(std::string_view description, Range place) {
    if (description.find("cannot redefine") == std::string_view::npos ||
        text_.size() > largest_mended || ++count_ > most_duplicates) {
      return false;
    }
    const Lines lines(text_);
    const std::string_view line = lines.line(place.line);
    const std::size_t in_line = lines.byte_at(place.line, place.column);
    const auto line_start = static_cast<std::size_t>(line.data() - text_.data());
    if (trimmed(line).starts_with("[") && description.find("header") != std::string_view::npos) {
      mend_header(lines, std::string(trimmed(line)), place);
      return true;
    }
    return mend_key(line, in_line, line_start, place);
  }

 private:
  void report(Range place, std::string_view name, std::optional<Range> first, std::string remedy) {
    Finding finding{.rule = RuleCode::P04,
                    .severity = Severity::error,
                    .place = place,
                    .subject = {},
                    .message = fmt::format("{} is written twice", name.substr(0, 80)),
                    .remedy = std::move(remedy)};
    if (first) finding.related.push_back({*first, "first written here"});
    findings_.push_back(std::move(finding));
  }

  void mend_header(const Lines& lines, const std::string& header, Range place) {
    std::optional<Range> first;
    std::vector<std::uint32_t> again;
    for (std::uint32_t n = 1; n <= lines.count(); ++n) {
      if (trimmed(lines.line(n)) != header) continue;
      if (n < place.line && !first) first = Range{file_, n, 1, n, 1};
      if (n >= place.line) again.push_back(n);
    }
    const bool block = header.starts_with("[[");
    report(place, header, first,
           block ? "write the transactions as rows of one list, or all of them as blocks"
                 : "join the two tables, or give one of them another name");
    if (!block) again.resize(1);
    // from the last on, so that the places of the others stay right
    std::vector<std::pair<std::size_t, std::size_t>> spans;
    for (std::uint32_t n : again) {
      const std::string_view line = lines.line(n);
      spans.emplace_back(static_cast<std::size_t>(line.data() - text_.data()), line.size());
    }
    const std::string name = fmt::format("{}{}", duplicate_key, count_);
    std::reverse(spans.begin(), spans.end());
    for (const auto& [at, length] : spans) {
      text_.replace(at, length, block ? "[[" + name + "]]" : "[" + name + "]");
    }
  }

  bool mend_key(std::string_view line, std::size_t end, std::size_t line_start, Range place) {
    // The parser points at the value: the key stands before the '=' in front of it.
    const auto skip_blanks = [&] {
      while (end > 0 && (line[end - 1] == ' ' || line[end - 1] == '\t')) --end;
    };
    skip_blanks();
    if (end == 0 || line[end - 1] != '=') return false;
    --end;
    skip_blanks();
    std::size_t first = end;
    while (first > 0 && is_bare(line[first - 1])) --first;
    if (first == end) return false;
    const std::string name(line.substr(first, end - first));
    place.column = static_cast<std::uint32_t>(
        1 + std::count_if(line.begin(), line.begin() + static_cast<std::ptrdiff_t>(first),
                          [](char c) { return (static_cast<unsigned char>(c) & 0xC0U) != 0x80; }));
    // Same length, so that places behind it stay right; our keys are lower-case, so this is none.
    std::string other(name.size(), 'A');
    int rest = count_;
    for (auto c = other.rbegin(); c != other.rend(); ++c, rest /= 26) {
      *c = static_cast<char>('A' + rest % 26);
    }
    text_.replace(line_start + first, name.size(), other);
    report(place, fmt::format("`{}`", name), std::nullopt, "keep one of the two");
    mended_.insert({place.line, place.column});
    return true;
  }

  std::string text_;
  std::uint32_t file_;
  Findings& findings_;
  int count_ = 0;
  std::set<Begin> mended_;
};

Range place_of(const toml::source_region& region, std::uint32_t file) {
  return {file, region.begin.line, region.begin.column, region.end.line, region.end.column};
}

// toml++ tree -> our tree, tables in the order of the file.
class Converter {
 public:
  Converter(const Lines& lines, const std::set<Begin>& mended, std::uint32_t file,
            Findings& findings)
      : lines_(lines), mended_(mended), file_(file), findings_(findings) {}

  Value table(const toml::table& in) {
    Value out;
    out.kind = ValueKind::table;
    out.place = place_of(in.source(), file_);
    for (const auto& [key, node] : in) {
      const Range place = place_of(key.source(), file_);
      if (mended_.contains({place.line, place.column}) || std::string_view(key.str()).starts_with(duplicate_key))
        continue;
      out.entries.push_back({std::string(key.str()), place, value(node)});
    }
    std::sort(out.entries.begin(), out.entries.end(), [](const Entry& a, const Entry& b) {
      return std::tie(a.place, a.value.place) < std::tie(b.place, b.value.place);
    });
    return out;
  }

 private:
  Value value(const toml::node& node) {
    if (const auto* sub = node.as_table()) return table(*sub);
    Value out;
    out.place = place_of(node.source(), file_);
    if (const auto* text = node.as_string()) {
      out.kind = ValueKind::text;
      out.text = text->get();
    } else if (const auto* integer = node.as_integer()) {
      out.kind = ValueKind::integer;
      out.integer = integer->get();
      const bool hex =
          (integer->flags() & toml::value_flags::format_as_hexadecimal) != toml::value_flags::none;
      out.text = hex ? fmt::format("0x{:X}", out.integer) : fmt::format("{}", out.integer);
      check_comment_behind(node.source(), out);
    } else if (const auto* real = node.as_floating_point()) {
      out.kind = ValueKind::real;
      out.real = real->get();
    } else if (const auto* boolean = node.as_boolean()) {
      out.kind = ValueKind::boolean;
      out.boolean = boolean->get();
    } else if (const auto* array = node.as_array()) {
      out.kind = ValueKind::array;
      for (const auto& item : *array) out.items.push_back(value(item));
    } else {
      out.kind = ValueKind::date;
    }
    return out;
  }

  // `at = 16#1000` is 16 and a comment.
  void check_comment_behind(const toml::source_region& region, const Value& number) {
    const std::string_view line = lines_.line(region.end.line);
    if (line.size() > longest_line_looked_at || line.find('#') == std::string_view::npos) return;
    const std::size_t end = lines_.byte_at(region.end.line, region.end.column);
    if (end >= line.size() || line[end] != '#') return;
    const std::string_view word = word_at(line, end);
    findings_.push_back(
        {.rule = RuleCode::P05,
         .severity = Severity::error,
         .place = number.place,
         .subject = {},
         .message = fmt::format("TOML reads this as {} and a comment: '#' follows the number",
                                number.text),
         .remedy = fmt::format("write \"{}\" in quotes, or put a blank before a comment", word)});
  }

  const Lines& lines_;
  const std::set<Begin>& mended_;
  std::uint32_t file_;
  Findings& findings_;
};

}  // namespace

std::optional<Value> read_toml(const std::string& text, std::uint32_t file, Findings& findings) {
  if (const auto place = absurd_key(text, file)) {
    findings.push_back(
        syntax_finding(*place, fmt::format("a key of more than {} parts", most_parts_of_a_key),
                       "no key needs them"));
    return std::nullopt;
  }
  DuplicateMender mender(text, file, findings);
  while (true) {
    try {
      const toml::table parsed = toml::parse(std::string_view(mender.text()));
      const Lines lines(mender.text());
      return Converter(lines, mender.mended(), file, findings).table(parsed);
    } catch (const toml::parse_error& error) {
      const Range place = place_of(error.source(), file);
      if (mender.mend(error.description(), place)) continue;
      const Lines lines(mender.text());
      std::string message(error.description());
      constexpr std::string_view prefix = "Error while parsing ";
      if (message.starts_with(prefix)) message = message.substr(prefix.size());
      findings.push_back(syntax_finding(place, std::move(message),
                                        hint_for(error.description(), lines.line(place.line),
                                                 lines.byte_at(place.line, place.column))));
      return std::nullopt;
    }
  }
}

}  // namespace greymet::files
