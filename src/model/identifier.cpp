#include "model/identifier.h"

#include <fmt/format.h>

#include "model/ascii_text.h"

namespace greymet::model {
namespace {

std::string in_small(std::string text) {
  for (char& c : text) {
    if (c >= 'A' && c <= 'Z') c = static_cast<char>(c - 'A' + 'a');
  }
  return text;
}

}  // namespace

std::string identifier(std::string_view name) {
  std::string out;
  for (const char c : name) {
    if (is_letter(c) || is_digit(c)) {
      out += c;
    } else if (!out.empty() && out.back() != '_') {
      out += '_';
    }
  }
  while (!out.empty() && out.back() == '_') out.pop_back();
  if (out.empty() || !is_letter(out.front())) out.insert(0, "v_");
  return out;
}

std::string UniqueNames::take(const std::string& name) {
  std::string given = name;
  for (int n = 2; !taken_.insert(in_small(given)).second; ++n) {
    given = fmt::format("{}_{}", name, n);
  }
  return given;
}

}  // namespace greymet::model
