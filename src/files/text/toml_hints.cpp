#include "toml_hints.h"

#include <algorithm>

#include <fmt/format.h>

#include "model/ascii_text.h"
#include "model/duration_text.h"
#include "model/text_slips.h"

namespace greymet::files::internal {

namespace {
constexpr std::size_t least_reference = 5;  // digits
}  // namespace

bool is_bare(char c) {
  return model::is_letter(c) || model::is_digit(c) || c == '_' || c == '-';
}

namespace {

std::string_view trimmed(std::string_view text) {
  const std::size_t first = text.find_first_not_of(" \t\r");
  if (first == std::string_view::npos) return {};
  return text.substr(first, text.find_last_not_of(" \t\r") - first + 1);
}

// Quotes, blanks and letters of office programs outside of texts: TOML knows only plain ones.
std::optional<std::string> typography_hint(std::string_view line) {
  std::string outside;  // of texts and comments
  char quote = 0;
  for (const char c : line) {
    if (quote != 0) {
      if (c == quote) quote = 0;
      continue;
    }
    if (c == '#') break;
    if (c == '"' || c == '\'') {
      quote = c;
    } else {
      outside += c;
    }
  }
  const auto plain = model::without_typography(outside);
  if (!plain) return std::nullopt;
  return fmt::format("write plain quotes, blanks and letters, without an office program's: {}",
                     model::quoted_start(trimmed(*plain)));
}

// The byte is in a text in double quotes that reads as a path with backslashes.
bool backslash_path(std::string_view line, std::size_t at) {
  const std::size_t slash = line.rfind('\\', std::min(at, line.size() - 1));
  return slash != std::string_view::npos && at - slash <= 2 && slash + 1 < line.size() &&
         model::is_letter(line[slash + 1]) &&
         std::count(line.begin(), line.begin() + static_cast<std::ptrdiff_t>(slash), '"') % 2 == 1;
}

}  // namespace

std::string_view word_at(std::string_view line, std::size_t at) {
  at = std::min(at, line.size());
  const auto in_word = [](char c) { return is_bare(c) || c == '.' || c == '#'; };
  std::size_t first = at;
  while (first > 0 && in_word(line[first - 1])) --first;
  std::size_t end = at;
  while (end < line.size() && in_word(line[end])) ++end;
  return line.substr(first, end - first);
}

std::optional<std::string> hint_for(std::string_view line, std::size_t at) {
  // The parser stops inside the word, or just behind it.
  const bool behind = at > 0 && (at >= line.size() || line[at] == ' ' || line[at] == '\r');
  const std::string_view word = word_at(line, behind ? at - 1 : at);
  const auto ends_with_any = [word](std::initializer_list<std::string_view> tails) {
    return std::any_of(tails.begin(), tails.end(),
                       [word](auto tail) { return word.ends_with(tail); });
  };
  if (auto typographic = typography_hint(line)) return typographic;
  if (at > 0 && at <= line.size() && backslash_path(line, at)) {
    return "a backslash begins an escape; write paths with /";
  }
  const bool begins_with_digit = !word.empty() && model::is_digit(word.front());
  const bool only_digits = model::all_digits(word);
  if (word.size() > 1 && word.front() == '0' && only_digits) {
    if (word.size() >= least_reference) {
      return fmt::format("numbers have no leading zeros; a reference is written in quotes: \"{}\"",
                         word);
    }
    return fmt::format(
        "numbers have no leading zeros: write {} if the manual counts in decimal, 0x{} "
        "if it counts in hexadecimal",
        std::stoi(std::string(word)), word);
  }
  if (begins_with_digit && word.size() <= 4 && std::all_of(word.begin(), word.end(), [](char c) {
        return model::hex_digit_value(c).has_value();
      })) {
    return fmt::format("a hexadecimal number is written 0x{}", word);
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
  return std::nullopt;
}

std::optional<std::string> right_value(std::string_view value) {
  if (auto plain = model::without_typography(value)) return plain;
  const bool quoted = value.size() >= 2 && value.front() == '"' && value.back() == '"';
  // a path: what else has backslashes may mean them
  if (quoted && value.find('.') != std::string_view::npos &&
      value.find('\\') != std::string_view::npos && value.find("\\\"") == std::string_view::npos) {
    std::string path(value);
    std::replace(path.begin(), path.end(), '\\', '/');
    return path;
  }
  const bool bare =
      std::all_of(value.begin(), value.end(), [](char c) { return is_bare(c) || c == '.'; });
  if (!bare || value.empty()) return std::nullopt;
  const bool reference =
      value.size() >= least_reference && value.front() == '0' && model::all_digits(value);
  if (!reference && !model::parse_duration(value)) return std::nullopt;
  return fmt::format("\"{}\"", value);
}

}  // namespace greymet::files::internal
