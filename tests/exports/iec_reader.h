// Structured Text of IEC 61131-3 as a tree: what the interpreter of the tests runs.
#pragma once

#include <map>
#include <memory>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "iec_interpreter.h"

namespace greymet::test::iec {

[[noreturn]] void bad(const std::string& what);
[[nodiscard]] std::string upper(std::string text);

// Widths; 0 for what is none of it.
[[nodiscard]] int bits_of(const std::string& type);
[[nodiscard]] int integer_bits(const std::string& type);
[[nodiscard]] bool is_signed(const std::string& type);
[[nodiscard]] bool is_real(const std::string& type);
[[nodiscard]] bool is_text(const std::string& type);
[[nodiscard]] long double rounded(const std::string& type, long double value);
void check_range(const std::string& type, long double value);
// A literal takes the type of what it meets; anything else has to have it.
[[nodiscard]] IecValue as_type(const std::string& type, IecValue value);

struct Expression;
using Ex = std::shared_ptr<Expression>;
struct Expression {
  // "literal", "name", "index" (of parts[0]), "member" (of parts[0]), "call", "neg", "NOT", or an
  // operator
  std::string op;
  IecValue value;
  std::string name;  // of a name, member or call
  std::vector<Ex> parts;
  std::vector<std::string> named;  // of a call with names
};

struct Statement {
  std::string op;  // "set", "call", "if", "while", "for"
  Ex target;
  std::vector<Ex> parts;
  std::vector<std::vector<Statement>> blocks;
};

struct Variable {
  std::string type;
  std::string section;
  std::string at;
  std::optional<std::pair<long, long>> bounds;
  std::optional<IecValue> initial;
  std::vector<std::map<std::string, IecValue>> rows;  // of an array of structures
};

struct Pou {
  std::string kind;
  std::string returns;
  std::map<std::string, Variable> variables;
  std::vector<std::string> inputs;  // in order
  std::vector<Statement> body;
};

// All that files declare, in the order of the files.
struct Source {
  std::map<std::string, Pou> pous;
  std::map<std::string, std::vector<std::pair<std::string, Variable>>> structs;
  std::map<std::string, Variable> globals;
  std::string program;
  std::optional<long double> interval_ms;  // of the task that runs it
};

[[nodiscard]] Source read_source(const std::string& text);
// "burner.firing_rate", "requests[NO_IN].good"
[[nodiscard]] Ex read_path(const std::string& text);

}  // namespace greymet::test::iec
