#include "declared_types.h"

#include <algorithm>
#include <array>

#include <fmt/format.h>

#include "model/ascii_text.h"
#include "model/text_slips.h"

namespace greymet::files::internal {

namespace {

constexpr int most_nested = 16;             // types inside of each other
constexpr std::size_t most_tags = 100'000;  // of one table
constexpr std::int64_t most_elements = 65'536;

// Elementary types whose values are whole words.
std::optional<model::TagType> elementary(const DeclaredType& type) {
  const std::string name = model::in_small_letters(type.name);
  if (name == "string" && type.characters > 0) {
    return model::TagType{{model::TypeKind::text, type.characters}, false};
  }
  static constexpr std::array<std::string_view, 12> known{"bool",  "int",  "uint",  "dint",
                                                          "udint", "lint", "ulint", "real",
                                                          "lreal", "word", "dword", "lword"};
  if (std::find(known.begin(), known.end(), name) == known.end()) return std::nullopt;
  return model::tag_type_from(name);
}

}  // namespace

void TagMaker::declare(const std::string& name, DeclaredType type) {
  types_.emplace(model::in_small_letters(name), std::move(type));
}

std::optional<TagMaker::At> TagMaker::place_of(const std::string& address) const {
  // the longest name of an area that it begins with
  const std::string* best = nullptr;
  for (const std::string& area : areas_) {
    const bool begins = address.size() > area.size() &&
                        model::equal_in_any_case(address.substr(0, area.size()), area) &&
                        model::is_digit(address[area.size()]);
    if (begins && (best == nullptr || area.size() > best->size())) best = &area;
  }
  if (best == nullptr) return std::nullopt;
  At at{*best, 0, {}};
  std::string_view rest = std::string_view(address).substr(best->size());
  const std::size_t dot = rest.find('.');
  const std::string_view digits = rest.substr(0, dot);
  constexpr std::size_t most_digits = 7;
  if (!model::all_digits(digits) || digits.size() > most_digits) return std::nullopt;
  at.number = std::stoll(std::string(digits));
  if (dot == std::string_view::npos) return at;
  const std::string_view bit = rest.substr(dot + 1);
  if (!model::all_digits(bit) || bit.size() > 2) return std::nullopt;
  at.bit = static_cast<std::uint32_t>(std::stoul(std::string(bit)));
  return at;
}

std::optional<std::int64_t> TagMaker::words_of(const DeclaredType& type, int depth) const {
  if (depth > most_nested) return std::nullopt;
  if (type.of) {
    const auto one = words_of(*type.of, depth + 1);
    const std::int64_t count = type.last - type.first + 1;
    if (!one || count < 1 || count > most_elements || *one * count > most_elements) {
      return std::nullopt;
    }
    return *one * count;
  }
  if (!type.members.empty()) {
    std::int64_t words = 0;
    for (const auto& [name, member] : type.members) {
      const auto one = words_of(member, depth + 1);
      if (!one) return std::nullopt;
      words += *one;
    }
    return words;
  }
  if (const auto known = elementary(type)) {
    // how bits lie in a word beside others is the system's own affair
    if (known->type.kind == model::TypeKind::boolean) return std::nullopt;
    return registers_of(known->type);
  }
  const auto at = types_.find(model::in_small_letters(type.name));
  return at == types_.end() ? std::nullopt : words_of(at->second, depth + 1);
}

void TagMaker::leave_out(const DeclaredVariable& variable, const std::string& why) {
  out_.incomplete = true;
  out_.left_out.push_back(variable.name);
  findings_.push_back({.rule = model::RuleCode::P07,
                       .severity = model::Severity::note,
                       .place = variable.place,
                       .subject = subject_,
                       .message = fmt::format("variable '{}' at {} is left out: {}",
                                              model::quoted_start(variable.name),
                                              model::quoted_start(variable.address.value), why),
                       .remedy = "declare what the exchange moves as elementary types of whole "
                                 "words, or accept it"});
}

bool TagMaker::spread(const DeclaredVariable& variable, const std::string& name,
                      const DeclaredType& type, const At& at, int depth) {
  if (depth > most_nested || out_.tags.size() >= most_tags) return false;
  if (!type.of && type.members.empty()) {
    const auto known = elementary(type);
    if (!known) {
      const auto declared = types_.find(model::in_small_letters(type.name));
      return declared != types_.end() && spread(variable, name, declared->second, at, depth + 1);
    }
    const auto [first, is_new] = names_.emplace(model::in_small_letters(name), variable.place);
    if (!is_new) return true;  // declared again, as in a second file of externals
    model::Tag tag;
    tag.name = name;
    tag.place = variable.place;
    tag.address = {fmt::format("{}{}{}", at.area, at.number,
                               at.bit ? fmt::format(".{}", *at.bit) : std::string()),
                   variable.address.place};
    tag.type = *known;
    out_.tags.push_back(std::move(tag));
    return true;
  }
  if (type.of) {
    const auto element = elementary(*type.of);
    const bool bits = element && element->type.kind == model::TypeKind::boolean;
    const auto one = bits ? std::optional<std::int64_t>(1) : words_of(*type.of, depth + 1);
    const std::int64_t count = type.last - type.first + 1;
    if (!one || at.bit || count < 1 || count > most_elements) return false;
    for (std::int64_t i = 0; i < count; ++i) {
      const At next{at.area, at.number + i * *one, {}};
      if (!spread(variable, fmt::format("{}[{}]", name, type.first + i), *type.of, next,
                  depth + 1)) {
        return false;
      }
    }
    return true;
  }
  if (at.bit) return false;
  std::int64_t number = at.number;
  for (const auto& [member, member_type] : type.members) {
    const auto words = words_of(member_type, depth + 1);
    if (!words || !spread(variable, fmt::format("{}.{}", name, member), member_type,
                          {at.area, number, {}}, depth + 1)) {
      return false;
    }
    number += *words;
  }
  return true;
}

void TagMaker::add(const DeclaredVariable& variable) {
  const auto at = place_of(variable.address.value);
  if (!at) return;  // somewhere else: none of ours
  const std::size_t before = out_.tags.size();
  if (spread(variable, variable.name, variable.type, *at, 0)) return;
  out_.tags.resize(before);
  leave_out(variable, variable.type.name.empty()
                          ? std::string("where its elements lie is not known")
                          : fmt::format("type '{}' is not known, or of no whole words",
                                        model::quoted_start(variable.type.name)));
}

}  // namespace greymet::files::internal
