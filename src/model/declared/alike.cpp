#include "model/alike.h"

#include <charconv>

#include <fmt/format.h>

#include "model/ascii_text.h"
#include "model/text_slips.h"

namespace greymet::model {
namespace {

constexpr std::int64_t longest_step = 16'777'216;  // as much as an area of memory holds

bool is_name_character(char c) {
  return is_digit(c) || (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || c == '_';
}

// Where a name stands by itself in another; npos if nowhere.
std::size_t find_name(std::string_view text, std::string_view name) {
  for (std::size_t at = text.find(name); at != std::string_view::npos;
       at = text.find(name, at + 1)) {
    const std::size_t end = at + name.size();
    const bool begins = at == 0 || !is_name_character(text[at - 1]);
    const bool ends = end == text.size() || !is_name_character(text[end]);
    if (begins && ends) return at;
  }
  return std::string_view::npos;
}

}  // namespace

std::string written_name(const WrittenAs& written_as, const Subject& subject) {
  const auto found = written_as.find(subject);
  return found == written_as.end() ? subject.name : found->second.name;
}

SteppedText stepped_text(std::string_view text) {
  const std::size_t plus = text.rfind('+');
  if (plus == std::string_view::npos || plus == 0) return {std::string(text), {}};
  const std::string_view digits = trimmed(text.substr(plus + 1));
  std::int64_t step = 0;
  const auto [end, error] = std::from_chars(digits.data(), digits.data() + digits.size(), step);
  const bool whole = error == std::errc() && end == digits.data() + digits.size() && step >= 0 &&
                     step <= longest_step;
  if (!whole) return {std::string(text), {}};
  return {std::string(trimmed(text.substr(0, plus))), step};
}

std::string name_for(std::string_view row, std::string_view common, const AlikeSlave& slave) {
  const std::size_t at = find_name(row, common);
  if (at == std::string_view::npos) return fmt::format("{}-{}", row, slave.number + 1);
  return fmt::format("{}{}{}", row.substr(0, at), slave.name, row.substr(at + common.size()));
}

std::string list_of_names(const std::vector<std::string>& names) {
  if (names.empty()) return {};
  if (names.size() == 1) return names.front();
  if (names.size() == 2) return fmt::format("{} and {}", names.front(), names.back());
  return fmt::format("{} to {}", names.front(), names.back());
}

std::string without_numbers(std::string_view text) {
  std::string bare;
  for (const char c : text) {
    if (!is_digit(c)) {
      bare += c;
    } else if (bare.empty() || bare.back() != '#') {
      bare += '#';
    }
  }
  return bare;
}

}  // namespace greymet::model
