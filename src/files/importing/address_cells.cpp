#include "address_cells.h"

#include <algorithm>
#include <array>
#include <charconv>

#include "model/ascii_text.h"
#include "model/text_slips.h"

namespace greymet::files::internal {

namespace {

using model::is_digit;

bool is_hex_digit(char c) {
  return model::hex_digit_value(c).has_value();
}

// Takes one number off the front; nothing where there is none.
std::optional<WrittenNumber> take_number(std::string_view& text) {
  WrittenNumber out;
  std::string_view rest = text;
  for (const std::string_view mark : {"0x", "0X", "16#", "$", "&H", "&h", "x", "#"}) {
    if (!rest.starts_with(mark)) continue;
    rest.remove_prefix(mark.size());
    out.marked = mark != "#";
    break;
  }
  if (!out.marked && rest.size() > 1 && (rest[0] == 'H' || rest[0] == 'h') && is_digit(rest[1])) {
    rest.remove_prefix(1);
    out.marked = true;
  }
  std::size_t end = 0;
  while (end < rest.size() && is_hex_digit(rest[end])) ++end;
  // "40001d": decimal, said so
  if (end == 0) return std::nullopt;
  out.digits = std::string(rest.substr(0, end));
  rest.remove_prefix(end);
  // "40 001"
  while (rest.size() >= 4 && rest[0] == ' ' && model::all_digits(out.digits) && is_digit(rest[1]) &&
         is_digit(rest[2]) && is_digit(rest[3]) && (rest.size() == 4 || !is_digit(rest[4])) &&
         out.digits.size() <= 3) {
    out.digits += rest.substr(1, 3);
    rest.remove_prefix(4);
  }
  if (!out.marked && !rest.empty() && (rest[0] == 'h' || rest[0] == 'H') &&
      (rest.size() == 1 || !model::is_letter(rest[1]))) {
    out.marked = true;
    rest.remove_prefix(1);
  }
  out.letters = !model::all_digits(out.digits);
  if (!out.letters && !out.marked) {
    // a letter right behind it: a word, not a number
    if (!rest.empty() && model::is_letter(rest[0])) return std::nullopt;
  } else if (!rest.empty() && (model::is_letter(rest[0]) || is_digit(rest[0]))) {
    return std::nullopt;
  }
  text = rest;
  return out;
}

bool take(std::string_view& text, std::string_view what) {
  if (!model::equal_in_any_case(text.substr(0, what.size()), what) || text.size() < what.size()) {
    return false;
  }
  text.remove_prefix(what.size());
  text = model::trimmed(text);
  return true;
}

// "hr:12", "HR 12", "4x0001", "holding register 12"
void take_area(std::string_view& text, AddressCell& out) {
  using model::Area;
  if (text.size() > 2 && (text[1] == 'x' || text[1] == 'X') && text[0] != '0') {
    if (const auto area = model::area_of_reference_digit(text[0]); area && is_digit(text[2])) {
      out.area = area;
      text.remove_prefix(2);
      return;
    }
  }
  static constexpr std::array<std::pair<std::string_view, Area>, 4> names{
      {{"hr", Area::holding_register},
       {"ir", Area::input_register},
       {"co", Area::coil},
       {"di", Area::discrete_input}}};
  for (const auto& [name, area] : names) {
    if (text.size() < 4 || !model::equal_in_any_case(text.substr(0, 2), name)) continue;
    if (text[2] != ':' && text[2] != ' ') continue;
    out.area = area;
    out.is_offset = text[2] == ':';
    text.remove_prefix(3);
    text = model::trimmed(text);
    return;
  }
  for (const std::string_view word : {"register", "reg.", "reg", "adr.", "addr."}) {
    if (text.size() > word.size() && !model::is_letter(text[word.size()]) && take(text, word))
      return;
  }
}

// ".3", " bit 3", ":3", "/bit3", ".bit3", "b3" behind a number
std::optional<std::uint32_t> take_bit(std::string_view& text) {
  std::string_view rest = model::trimmed(text);
  bool sign = false;
  while (!rest.empty() && (rest[0] == '.' || rest[0] == ':' || rest[0] == '/' || rest[0] == ',')) {
    sign = true;
    rest.remove_prefix(1);
    rest = model::trimmed(rest);
  }
  for (const std::string_view word : {"bit", "b"}) {
    if (rest.size() > word.size() && model::equal_in_any_case(rest.substr(0, word.size()), word)) {
      rest.remove_prefix(word.size());
      rest = model::trimmed(rest);
      sign = true;
      break;
    }
  }
  std::uint32_t bit = 0;
  const auto [end, error] = std::from_chars(rest.data(), rest.data() + rest.size(), bit);
  constexpr std::uint32_t bits_of_a_word = 16;
  if (!sign || error != std::errc() || end != rest.data() + rest.size() || bit >= bits_of_a_word) {
    return std::nullopt;
  }
  text = {};
  return bit;
}

// "-", "..", "to", "bis", "~" and the dashes that office programs write.
bool take_range_sign(std::string_view& text) {
  text = model::trimmed(text);
  for (const std::string_view sign : {"...", "..", "-", "~", "to ", "bis ", "+", "/", "&", ","}) {
    if (take(text, sign)) return true;
  }
  return false;
}

}  // namespace

std::optional<std::int64_t> WrittenNumber::value(bool hexadecimal) const {
  constexpr std::size_t most_digits = 7;
  if (digits.empty() || digits.size() > most_digits || (letters && !hexadecimal && !marked)) {
    return std::nullopt;
  }
  std::int64_t out = 0;
  const int base = hexadecimal || marked ? 16 : 10;
  const auto [end, error] =
      std::from_chars(digits.data(), digits.data() + digits.size(), out, base);
  return error == std::errc() && end == digits.data() + digits.size() ? std::optional(out)
                                                                      : std::nullopt;
}

std::optional<AddressCell> address_cell_from(std::string_view given) {
  const auto plain = model::without_typography(given);
  std::string_view text = model::trimmed(plain ? std::string_view(*plain) : given);
  AddressCell out;
  take_area(text, out);
  const auto first = take_number(text);
  if (!first) return std::nullopt;
  out.first = *first;
  if (model::trimmed(text).empty()) return out;
  std::string_view behind = text;
  // "40012.3" is a bit; "40012..40013", "40012-13" a range; "40012,40013" too
  const bool could_be_bit = !(text.starts_with("..") || text.starts_with('-'));
  if (could_be_bit) {
    if (const auto bit = take_bit(behind)) {
      const bool comma = text.starts_with(',') || text.starts_with('/');
      if (!comma || text.find_first_of("bB") != std::string_view::npos) {
        out.bit = bit;
        return out;
      }
    }
  }
  behind = text;
  // "40012/13" and "40012,3" may be a bit, or anything: only whole numbers are a list
  const bool list = behind.find_first_of("/,&+") < 2;
  if (!take_range_sign(behind)) return std::nullopt;
  AddressCell end;
  take_area(behind, end);
  auto last = take_number(behind);
  if (!last || !model::trimmed(behind).empty()) return std::nullopt;
  if (list && last->digits.size() < out.first.digits.size()) return std::nullopt;
  // "40001-02"
  if (last->digits.size() < out.first.digits.size() && !last->marked) {
    last->digits =
        out.first.digits.substr(0, out.first.digits.size() - last->digits.size()) + last->digits;
    last->letters = !model::all_digits(last->digits);
  }
  last->marked = last->marked || out.first.marked;
  out.first.marked = last->marked;
  out.last = std::move(last);
  return out;
}

namespace {

struct Follow {
  std::int64_t decimal = 0;
  std::int64_t hexadecimal = 0;
  std::uint32_t length = 0;
};

// Numbers that follow each other, and what the values between them take.
std::vector<Follow> follows_of(const std::vector<ColumnCell>& column) {
  std::vector<Follow> out;
  const ColumnCell* before = nullptr;
  for (const ColumnCell& each : column) {
    const bool plain = !each.cell.first.marked && !each.cell.first.letters && !each.cell.bit;
    if (!plain) {
      before = nullptr;
      continue;
    }
    if (before != nullptr && before->length) {
      const auto& a = before->cell.first;
      const auto& b = each.cell.first;
      const auto dec = std::pair(a.value(false), b.value(false));
      const auto hex = std::pair(a.value(true), b.value(true));
      if (dec.first && dec.second && hex.first && hex.second && *dec.second > *dec.first) {
        out.push_back({*dec.second - *dec.first, *hex.second - *hex.first, *before->length});
      }
    }
    before = &each;
  }
  return out;
}

}  // namespace

Base base_of(const std::vector<ColumnCell>& column) {
  // "00001": coils have references, too
  const bool references =
      !column.empty() && std::all_of(column.begin(), column.end(), [](const ColumnCell& each) {
        return !each.cell.first.marked && model::parse_reference(each.cell.first.digits);
      });
  if (references) return Base::decimal;
  std::size_t unmarked = 0;
  std::size_t filled = 0;  // 0048
  std::size_t width = 0;
  bool one_width = true;
  for (const ColumnCell& each : column) {
    const WrittenNumber& number = each.cell.first;
    if (number.marked) continue;
    if (number.letters) return Base::hexadecimal;
    if (unmarked > 0 && number.digits.size() != width) one_width = false;
    width = number.digits.size();
    ++unmarked;
    if (number.digits.size() > 1 && number.digits.front() == '0') ++filled;
  }
  if (unmarked == 0) return Base::decimal;
  const auto follows = follows_of(column);
  // two values in one register as decimal numbers, side by side as hexadecimal ones
  const bool overlap = std::any_of(follows.begin(), follows.end(), [](const Follow& f) {
    return f.decimal < f.length && f.hexadecimal >= f.length;
  });
  const bool exact = std::any_of(follows.begin(), follows.end(), [](const Follow& f) {
    return f.decimal == f.length && f.hexadecimal != f.length;
  });
  constexpr std::size_t least_width = 2;
  const bool looks_filled = filled > 0 && one_width && width >= least_width;
  if (!looks_filled) return overlap && !exact ? Base::doubtful : Base::decimal;
  if (overlap && !exact) return Base::hexadecimal;
  if (exact && !overlap) return Base::decimal;
  return Base::doubtful;
}

}  // namespace greymet::files::internal
