#include "model/file_name.h"

#include <algorithm>
#include <array>
#include <cstdint>
#include <map>

#include <fmt/format.h>

#include "model/ascii_text.h"
#include "model/text_slips.h"

namespace greymet::model {

namespace {

// FNV-1a, 32 bits.
std::string hash_of(std::string_view name) {
  std::uint32_t hash = 2166136261U;
  for (const char c : name) hash = (hash ^ static_cast<unsigned char>(c)) * 16777619U;
  return fmt::format("{:08x}", hash);
}

// Names that Windows keeps for devices, whatever their ending.
bool is_kept_for_a_device(std::string_view name) {
  const std::string small = in_small_letters(name);
  constexpr std::array<std::string_view, 4> whole{"con", "prn", "aux", "nul"};
  if (std::find(whole.begin(), whole.end(), small) != whole.end()) return true;
  const bool port = small.starts_with("com") || small.starts_with("lpt");
  return port && small.size() == 4 && is_digit(small[3]);
}

}  // namespace

std::string file_name_of(std::string_view name) {
  constexpr std::size_t longest = 80;
  std::string out;
  for (const char c : name) {
    if (is_letter(c) || is_digit(c) || c == '-' || c == '_') {
      out += c;
    } else if (!out.empty() && out.back() != '-') {
      out += '-';
    }
  }
  while (out.ends_with('-')) out.pop_back();
  if (out.empty()) return "thing-" + hash_of(name);
  if (is_kept_for_a_device(out)) return out + "_";
  if (out.size() <= longest) return out;
  const std::string hash = hash_of(name);
  return out.substr(0, longest - hash.size() - 1) + "-" + hash;
}

bool are_alike_as_files(std::string_view one, std::string_view other) {
  return in_small_letters(one) == in_small_letters(other);
}

std::vector<std::string> file_names_of(const std::vector<std::string>& names) {
  std::vector<std::string> out;
  std::map<std::string, std::size_t> used;  // in small letters
  for (const std::string& name : names) {
    out.push_back(file_name_of(name));
    ++used[in_small_letters(out.back())];
  }
  for (std::size_t i = 0; i < names.size(); ++i) {
    const std::string small = in_small_letters(out[i]);
    if (used[small] > 1 && names[i] != small) out[i] += "-" + hash_of(names[i]);
  }
  return out;
}

}  // namespace greymet::model
