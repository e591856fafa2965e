// One value between its words and its variable, as statements of Structured Text. Not for use
// outside this folder.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "model/data_type.h"

namespace greymet::exports {

// engineering value = raw x factor + offset
struct Scale {
  double factor = 1;
  double offset = 0;
  [[nodiscard]] bool is_some() const { return factor != 1 || offset != 0; }
};

// How a value stands in its words.
struct ValueForm {
  model::DataType type;
  std::string order = "1";  // an expression: 1 ABCD, 2 CDAB, 3 BADC, 4 DCBA
  Scale scale;
};
// The number that stands for an order.
[[nodiscard]] std::string order_number(model::WordOrder order);

// Where a value lies: names of WORD variables in the order of memory, or of one BOOL variable.
struct RawPlace {
  std::vector<std::string> words;
  std::optional<std::uint64_t> bit;  // of the one word
  // The bit as an expression.
  [[nodiscard]] std::string condition() const;
  // A statement that makes the bit what the expression says, and leaves the others of its word.
  [[nodiscard]] std::string set_text(const std::string& expression,
                                     const std::string& indent) const;
};

// Statements, and what they need of the program around them.
struct ValueText {
  std::string statements;
  bool uses_bits32 = false;  // the program needs `bits32 : DWORD`
  bool uses_bits64 = false;  // `bits64 : LWORD`
  bool may_be_no_number = false;
};

// "REAL", "UINT", "STRING[16]": of the variable. A scaled value of 16 bits is REAL, a longer one
// LREAL, as REAL would lose digits.
[[nodiscard]] std::string type_of(const ValueForm& form);
// A literal: 0, 0.0, FALSE or ''.
[[nodiscard]] std::string zero_of(const std::string& type);

// Words -> variable. Bits that are no number leave the variable as it is, and make `no_number`
// TRUE.
[[nodiscard]] ValueText decoding(const std::string& name, const ValueForm& form,
                                 const RawPlace& place, const std::string& no_number);
// Variable -> words, limited to what the type can hold.
[[nodiscard]] ValueText encoding(const std::string& name, const ValueForm& form,
                                 const RawPlace& place);

}  // namespace greymet::exports
