// What people meant who wrote a text as a spreadsheet, an office program, another tool or a
// controller's language would: the right text, for remedies and cures. Nothing here makes a wrong
// text acceptable.
#pragma once

#include <optional>
#include <string>
#include <string_view>

namespace greymet::model {

// The right text. `certain`: it is the only thing that can have been meant.
struct Meant {
  std::string text;
  bool certain = true;
  friend bool operator==(const Meant&, const Meant&) = default;
};

// The text with plain characters for what office programs put in their place: curly quotes, dashes,
// blanks that do not break, full-width letters and digits, invisible characters. Nothing where
// there are none.
[[nodiscard]] std::optional<std::string> without_typography(std::string_view text);

// Without blanks (and tabs) at both ends.
[[nodiscard]] std::string_view trimmed(std::string_view text);
// ASCII letters made small, the rest as it is.
[[nodiscard]] std::string in_small_letters(std::string_view text);
// Small letters and digits alone: "RS-485" and "rs485" are the same word then.
[[nodiscard]] std::string bare_word(std::string_view text);

// "1,5s", "500 msec", "T#2s", "1m" (minutes, but not certainly): a duration as the plan writes it.
[[nodiscard]] std::optional<Meant> meant_duration(std::string_view text);
// "1,5", "10 000", "1,234,567", "1.234,5": a number as the plan writes it. Not certain where one
// sign may be a decimal one or one for thousands ("3,600").
[[nodiscard]] std::optional<Meant> meant_number(std::string_view text);
// The same where only a whole number makes sense: "19.200" is one, with a sign for thousands.
[[nodiscard]] std::optional<Meant> meant_whole_number(std::string_view text);
// "REAL", "UINT", "float32", "string[10]": a type of the register map. Not certain where languages
// differ ("INT").
[[nodiscard]] std::optional<Meant> meant_type(std::string_view text);
// "R/W", "RO", "read only": r, w or rw.
[[nodiscard]] std::optional<Meant> meant_access(std::string_view text);
// "4x", "holding", "Input Registers": co, di, ir or hr.
[[nodiscard]] std::optional<Meant> meant_area(std::string_view text);
// "400o1", "1OOh", "4l097": an address in which letters stand for the digits they look like. Never
// certain: a number that reads as a reference may be none. "000A" is certainly 0x000A.
[[nodiscard]] std::optional<Meant> meant_address(std::string_view text);
// "8-E-1", "E,8,1", "8 even 1": a format of characters.
[[nodiscard]] std::optional<Meant> meant_format(std::string_view text);
// "big endian", "BADC-swap", "word swap", "little-endian": an order of words, where it is plain.
[[nodiscard]] std::optional<Meant> meant_word_order(std::string_view text);

}  // namespace greymet::model
