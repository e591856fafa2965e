#include "files/declarations.h"

#include <algorithm>
#include <charconv>

#include <fmt/format.h>

#include "declared_types.h"
#include "model/ascii_text.h"
#include "model/text_slips.h"

namespace greymet::files {

namespace {

using internal::DeclaredType;
using internal::DeclaredVariable;
using internal::TagMaker;

// A word, a number, a direct address ("%MW100"), or a sign.
struct DeclarationToken {
  std::string text;
  std::string word;  // in small letters
  model::Range place;
};

// Splits a text; comments, pragmas and texts in quotes are left out, as none of them declares.
class DeclarationScanner {
 public:
  DeclarationScanner(std::string_view text, std::uint32_t file) : text_(text), file_(file) {}

  std::vector<DeclarationToken> tokens() {
    std::vector<DeclarationToken> out;
    while (at_ < text_.size()) {
      if (skip_blank() || skip_comment()) continue;
      out.push_back(token());
    }
    return out;
  }

 private:
  void step() {
    if (text_[at_] == '\n') {
      ++line_;
      column_ = 1;
    } else if ((static_cast<unsigned char>(text_[at_]) & 0xC0U) != 0x80) {
      ++column_;
    }
    ++at_;
  }

  bool skip_blank() {
    const char c = text_[at_];
    if (c != ' ' && c != '\t' && c != '\r' && c != '\n') return false;
    step();
    return true;
  }

  void skip_to(std::string_view end) {
    while (at_ < text_.size() && text_.substr(at_, end.size()) != end) step();
    for (std::size_t i = 0; i < end.size() && at_ < text_.size(); ++i) step();
  }

  bool skip_comment() {
    const std::string_view rest = text_.substr(at_);
    if (rest.starts_with("//")) {
      skip_to("\n");
    } else if (rest.starts_with("(*")) {
      step();
      step();
      skip_to("*)");
    } else if (rest.starts_with('{')) {
      skip_to("}");
    } else if (rest.starts_with('\'') || rest.starts_with('"')) {
      const std::string quote(1, rest[0]);
      step();
      skip_to(quote);
    } else {
      return false;
    }
    return true;
  }

  DeclarationToken token() {
    const std::uint32_t column = column_;
    const std::size_t first = at_;
    const auto is_word = [](char c) {
      return model::is_letter(c) || model::is_digit(c) || c == '_' ||
             static_cast<unsigned char>(c) >= 0x80;
    };
    const bool address = text_[at_] == '%';
    if (address || is_word(text_[at_])) {
      step();
      // "%MW114.3"; "0..9" is no number with a point
      while (at_ < text_.size() &&
             (is_word(text_[at_]) ||
              (address && text_[at_] == '.' && at_ + 1 < text_.size() && text_[at_ + 1] != '.'))) {
        step();
      }
    } else if (text_.substr(at_, 2) == ".." || text_.substr(at_, 2) == ":=") {
      step();
      step();
    } else {
      step();
    }
    DeclarationToken out;
    out.text = std::string(text_.substr(first, at_ - first));
    out.word = model::in_small_letters(out.text);
    out.place = {file_, line_, column, line_, column_};
    return out;
  }

  std::string_view text_;
  std::uint32_t file_;
  std::size_t at_ = 0;
  std::uint32_t line_ = 1;
  std::uint32_t column_ = 1;
};

// Types first, then variables: a type may stand behind what is of it.
class DeclarationParser {
 public:
  DeclarationParser(std::vector<DeclarationToken> tokens, TagMaker& maker)
      : tokens_(std::move(tokens)), maker_(maker) {}

  void parse() {
    while (at_ < tokens_.size()) {
      if (is("type")) {
        ++at_;
        parse_types();
      } else {
        ++at_;
      }
    }
    at_ = 0;
    while (at_ < tokens_.size()) {
      const std::string& word = tokens_[at_].word;
      const bool section = word == "var" || word.starts_with("var_");
      ++at_;
      if (section) parse_section();
    }
  }

 private:
  [[nodiscard]] bool is(std::string_view word) const {
    return at_ < tokens_.size() && tokens_[at_].word == word;
  }
  bool take(std::string_view word) {
    if (!is(word)) return false;
    ++at_;
    return true;
  }
  // To behind the next semicolon, or before what ends a section.
  void skip_declaration(std::string_view end) {
    while (at_ < tokens_.size() && !is(end)) {
      if (take(";")) return;
      ++at_;
    }
  }

  std::int64_t number() {
    const bool negative = take("-");
    std::int64_t value = 0;
    if (at_ < tokens_.size()) {
      const std::string& text = tokens_[at_].text;
      std::from_chars(text.data(), text.data() + text.size(), value);
      ++at_;
    }
    constexpr std::int64_t most = 10'000'000;
    value = std::clamp(value, -most, most);
    return negative ? -value : value;
  }

  DeclaredType type(int depth) {
    constexpr int deepest = 16;
    DeclaredType out;
    if (depth > deepest) return out;
    if (take("array")) {
      take("[");
      std::vector<std::pair<std::int64_t, std::int64_t>> bounds;
      while (at_ < tokens_.size() && !is("]") && !is(";")) {
        const std::int64_t first = number();
        if (!take("..")) break;
        bounds.emplace_back(first, number());
        if (!take(",")) break;
      }
      take("]");
      take("of");
      DeclaredType element = type(depth + 1);
      std::reverse(bounds.begin(), bounds.end());
      for (const auto& [first, last] : bounds) {
        DeclaredType array;
        array.first = first;
        array.last = last;
        array.of = std::make_shared<DeclaredType>(std::move(element));
        element = std::move(array);
      }
      return element;
    }
    if (take("struct")) {
      while (at_ < tokens_.size() && !is("end_struct")) {
        std::vector<std::string> names;
        do {
          if (at_ < tokens_.size()) names.push_back(tokens_[at_++].text);
        } while (take(","));
        if (!take(":")) {
          skip_declaration("end_struct");
          continue;
        }
        const DeclaredType member = type(depth + 1);
        for (const std::string& name : names) out.members.push_back({name, member});
        skip_declaration("end_struct");
      }
      take("end_struct");
      return out;
    }
    if (at_ < tokens_.size()) out.name = tokens_[at_++].text;
    if (model::equal_in_any_case(out.name, "string") && (is("[") || is("("))) {
      ++at_;
      constexpr std::int64_t longest = 250;
      const std::int64_t characters = number();
      out.characters =
          static_cast<std::uint32_t>(characters > 0 && characters <= longest ? characters : 0);
      if (!take("]")) take(")");
    }
    return out;
  }

  void parse_types() {
    while (at_ < tokens_.size() && !is("end_type")) {
      const std::string name = tokens_[at_].text;
      ++at_;
      if (!take(":")) continue;
      maker_.declare(name, type(0));
      skip_declaration("end_type");
    }
  }

  void parse_section() {
    while (at_ < tokens_.size() && !is("end_var")) {
      std::vector<DeclaredVariable> variables;
      do {
        if (at_ >= tokens_.size() || is("end_var")) return;
        DeclaredVariable variable;
        variable.name = tokens_[at_].text;
        variable.place = tokens_[at_].place;
        ++at_;
        read_address(variable);
        variables.push_back(std::move(variable));
      } while (take(","));
      // CONSTANT, RETAIN and the like stand before the first name
      if (variables.size() == 1 && !is(":") && !is(";")) continue;
      if (!take(":")) {
        skip_declaration("end_var");
        continue;
      }
      const DeclaredType of = type(0);
      for (DeclaredVariable& variable : variables) {
        if (variable.address.value.empty()) continue;
        variable.type = of;
        maker_.add(variable);
      }
      skip_declaration("end_var");
    }
  }

  void read_address(DeclaredVariable& variable) {
    if (is("at") && at_ + 1 < tokens_.size()) {
      ++at_;
      variable.address = {tokens_[at_].text, tokens_[at_].place};
      ++at_;
    }
  }

  std::vector<DeclarationToken> tokens_;
  TagMaker& maker_;
  std::size_t at_ = 0;
};

}  // namespace

bool looks_like_declarations(std::string_view text) {
  constexpr std::size_t looked_at = 65'536;
  if (text.starts_with("\xEF\xBB\xBF")) text.remove_prefix(3);
  const auto tokens = DeclarationScanner(text.substr(0, looked_at), 0).tokens();
  if (tokens.empty()) return false;
  static constexpr std::string_view units[] = {
      "type", "program", "function_block", "function", "configuration", "resource", "namespace"};
  const std::string& first = tokens.front().word;
  return first == "var" || first.starts_with("var_") ||
         std::find(std::begin(units), std::end(units), first) != std::end(units);
}

model::TagTable read_declarations(const std::string& text, const std::string& name,
                                  std::uint32_t file, const std::vector<std::string>& areas,
                                  const model::Subject& subject, model::Findings& findings) {
  model::TagTable out;
  out.file = name;
  std::string_view content = text;
  if (content.starts_with("\xEF\xBB\xBF")) content.remove_prefix(3);
  TagMaker maker(areas, subject, findings, out);
  DeclarationParser(DeclarationScanner(content, file).tokens(), maker).parse();
  return out;
}

}  // namespace greymet::files
