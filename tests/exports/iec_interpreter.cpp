#include "iec_interpreter.h"

#include <cctype>
#include <cmath>
#include <functional>
#include <optional>
#include <stdexcept>

namespace greymet::test {
// Named: the machine keeps some of these types, which several sources may see at once.
namespace iec {

[[noreturn]] void bad(const std::string& what) {
  throw std::runtime_error(what);
}

std::string upper(std::string text) {
  for (char& c : text) c = static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
  return text;
}

struct Token {
  enum Kind { name, number, real, text, time, sign, end } kind = end;
  std::string value;
  std::string type = {};  // of a typed literal
};

std::vector<Token> tokens_of(const std::string& source) {
  std::vector<Token> out;
  std::size_t i = 0;
  const auto is_name = [](char c) {
    return std::isalnum(static_cast<unsigned char>(c)) || c == '_';
  };
  while (i < source.size()) {
    const char c = source[i];
    if (std::isspace(static_cast<unsigned char>(c))) {
      ++i;
    } else if (source.compare(i, 2, "(*") == 0) {
      const std::size_t close = source.find("*)", i + 2);
      if (close == std::string::npos) bad("comment without an end");
      i = close + 2;
    } else if (c == '\'') {
      std::string text;
      for (++i; i < source.size() && source[i] != '\''; ++i) {
        if (source[i] == '\n') bad("text over the end of a line");
        if (source[i] != '$') {
          text += source[i];
        } else if (source[i + 1] == '$' || source[i + 1] == '\'') {
          text += source[++i];
        } else {
          text += static_cast<char>(std::stoi(source.substr(i + 1, 2), nullptr, 16));
          i += 2;
        }
      }
      if (i == source.size()) bad("text without an end");
      ++i;
      out.push_back({Token::text, text});
    } else if (c == '%') {
      std::size_t e = i + 1;
      while (e < source.size() && is_name(source[e])) ++e;
      out.push_back({Token::name, source.substr(i, e - i)});
      i = e;
    } else if (source.compare(i, 2, "T#") == 0) {
      std::size_t e = i + 2;
      while (std::isdigit(static_cast<unsigned char>(source[e])) || source[e] == '.') ++e;
      if (source.compare(e, 2, "ms") != 0) bad("time without ms");
      out.push_back({Token::time, source.substr(i + 2, e - i - 2)});
      i = e + 2;
    } else if (std::isdigit(static_cast<unsigned char>(c))) {
      if (source.compare(i, 3, "16#") == 0) {
        std::size_t e = i + 3;
        while (std::isxdigit(static_cast<unsigned char>(source[e]))) ++e;
        out.push_back({Token::number,
                       std::to_string(std::stoull(source.substr(i + 3, e - i - 3), nullptr, 16))});
        i = e;
        continue;
      }
      std::size_t e = i;
      bool is_real = false;
      while (std::isdigit(static_cast<unsigned char>(source[e]))) ++e;
      if (source[e] == '.' && source[e + 1] != '.') {
        is_real = true;
        ++e;
        if (!std::isdigit(static_cast<unsigned char>(source[e]))) bad("no digit behind the point");
        while (std::isdigit(static_cast<unsigned char>(source[e]))) ++e;
        if (source[e] == 'E') {
          ++e;
          if (source[e] == '-' || source[e] == '+') ++e;
          while (std::isdigit(static_cast<unsigned char>(source[e]))) ++e;
        }
      }
      if (is_name(source[e])) bad("number that runs into a name");
      out.push_back({is_real ? Token::real : Token::number, source.substr(i, e - i)});
      i = e;
    } else if (std::isalpha(static_cast<unsigned char>(c)) || c == '_') {
      std::size_t e = i;
      while (e < source.size() && is_name(source[e])) ++e;
      const std::string word = source.substr(i, e - i);
      if (source[e] == '#') {  // a typed literal: LREAL#-0.5
        if (word != "REAL" && word != "LREAL") bad("what is " + word + "#");
        const std::size_t begin = ++e;
        if (source[e] == '-') ++e;
        while (std::isdigit(static_cast<unsigned char>(source[e]))) ++e;
        if (source[e] != '.') bad("a real without a point");
        ++e;
        while (std::isdigit(static_cast<unsigned char>(source[e]))) ++e;
        if (source[e] == 'E') {
          ++e;
          if (source[e] == '-' || source[e] == '+') ++e;
          while (std::isdigit(static_cast<unsigned char>(source[e]))) ++e;
        }
        out.push_back({Token::real, source.substr(begin, e - begin), word});
        i = e;
        continue;
      }
      if (word.find("__") != std::string::npos || word.ends_with('_'))
        bad("no identifier: " + word);
      out.push_back({Token::name, word});
      i = e;
    } else {
      static const std::vector<std::string> signs{":=", "..", "<>", "<=", ">="};
      std::string found(1, c);
      for (const std::string& sign : signs) {
        if (source.compare(i, 2, sign) == 0) found = sign;
      }
      if (found.size() == 1 && std::string("+-*/()[]:;,.=<>").find(c) == std::string::npos) {
        bad(std::string("what is ") + c);
      }
      out.push_back({Token::sign, found});
      i += found.size();
    }
  }
  out.push_back({});
  return out;
}

// Widths; 0 for what is none of it.
int bits_of(const std::string& type) {
  static const std::map<std::string, int> known{
      {"BOOL", 1}, {"BYTE", 8}, {"WORD", 16}, {"DWORD", 32}, {"LWORD", 64}};
  const auto at = known.find(type);
  return at == known.end() ? 0 : at->second;
}
int integer_bits(const std::string& type) {
  static const std::map<std::string, int> known{{"INT", 16},  {"DINT", 32},  {"LINT", 64},
                                                {"UINT", 16}, {"UDINT", 32}, {"ULINT", 64}};
  const auto at = known.find(type);
  return at == known.end() ? 0 : at->second;
}
bool is_signed(const std::string& type) {
  return type[0] != 'U';
}
bool is_real(const std::string& type) {
  return type == "REAL" || type == "LREAL";
}
bool is_text(const std::string& type) {
  return type.starts_with("STRING");
}

long double rounded(const std::string& type, long double value) {
  if (type == "REAL") return static_cast<float>(static_cast<double>(value));
  return type == "LREAL" ? static_cast<long double>(static_cast<double>(value)) : value;
}

void check_range(const std::string& type, long double value) {
  const int bits = bits_of(type) != 0 ? bits_of(type) : integer_bits(type);
  if (bits == 0) return;
  const bool sign = integer_bits(type) != 0 && is_signed(type);
  const long double most = std::ldexp(1.0L, sign ? bits - 1 : bits) - 1;
  const long double least = sign ? -std::ldexp(1.0L, bits - 1) : 0;
  if (value < least || value > most) bad("out of the range of " + type);
}

// A literal takes the type of what it meets; anything else has to have it.
IecValue as_type(const std::string& type, IecValue value) {
  const bool literal_int = value.type == "#INT" && (integer_bits(type) != 0 || bits_of(type) > 1);
  // systems take an untyped one for a REAL, whatever it meets
  if (value.type == "#REAL" && type == "LREAL") bad("an untyped literal meets LREAL");
  const bool literal_real = value.type == "#REAL" && is_real(type);
  if (literal_int || literal_real) {
    value.type = type;
    value.number = rounded(type, value.number);
    check_range(type, value.number);
    return value;
  }
  if (is_text(type) && is_text(value.type)) {
    if (type != "STRING") {
      const auto most = static_cast<std::size_t>(std::stoi(type.substr(7)));
      if (value.text.size() > most) bad("text too long for " + type);
    }
    value.type = type;
    return value;
  }
  if (value.type != type) bad("a " + value.type + " where a " + type + " belongs");
  return value;
}

std::uint64_t raw(const IecValue& v) {
  return v.number < 0 ? static_cast<std::uint64_t>(static_cast<std::int64_t>(v.number))
                      : static_cast<std::uint64_t>(v.number);
}
IecValue of_bits(const std::string& type, std::uint64_t value) {
  const int bits = bits_of(type);
  return {type,
          static_cast<long double>(bits == 64 ? value : value & ((std::uint64_t{1} << bits) - 1)),
          {}};
}

struct Expression;
using Ex = std::shared_ptr<Expression>;
struct Expression {
  std::string op;  // "literal", "name", "index", "member", "call", "neg", "NOT", or an operator
  IecValue value;
  std::string name;
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
};

struct Pou {
  std::string kind;
  std::string returns;
  std::map<std::string, Variable> variables;
  std::vector<std::string> inputs;  // in order
  std::vector<std::string> order;   // names as written
  std::vector<Statement> body;
};

struct Frame {
  const Pou* pou = nullptr;
  std::map<std::string, IecValue> values;
  std::map<std::string, std::unique_ptr<Frame>> blocks;
  std::optional<long double> since;  // of TON
};

}  // namespace iec

using namespace iec;

struct IecMachine::Inside {
  explicit Inside(IecMachine& owner) : machine(owner) {}

  IecMachine& machine;
  std::vector<Token> tokens;
  std::size_t at = 0;
  std::map<std::string, Pou> pous;
  std::map<std::string, std::map<std::string, std::string>> structs;
  std::vector<std::map<std::string, IecValue>> rows;
  std::string program;
  Frame main;
  long double now = 0;

  // ------------------------------------------------------------ reading

  bool is(const std::string& text) const {
    const Token& t = tokens[at];
    return (t.kind == Token::sign && t.value == text) ||
           (t.kind == Token::name && upper(t.value) == text);
  }
  bool take(const std::string& text) {
    if (!is(text)) return false;
    ++at;
    return true;
  }
  void need(const std::string& text) {
    if (!take(text)) bad("expected " + text + ", found " + tokens[at].value);
  }
  std::string name() {
    if (tokens[at].kind != Token::name) bad("expected a name, found " + tokens[at].value);
    return tokens[at++].value;
  }

  IecValue literal() {
    const bool minus = take("-");
    const Token t = tokens[at++];
    if (t.kind == Token::text) return {"STRING", 0, t.value};
    if (t.kind == Token::time) return {"TIME", std::stold(t.value), {}};
    if (t.kind == Token::name && upper(t.value) == "TRUE") return {"BOOL", 1, {}};
    if (t.kind == Token::name && upper(t.value) == "FALSE") return {"BOOL", 0, {}};
    if (t.kind != Token::number && t.kind != Token::real) bad("no literal: " + t.value);
    const long double n = t.kind == Token::number ? std::stold(t.value)
                                                  : static_cast<long double>(std::stod(t.value));
    if (!t.type.empty()) return {t.type, rounded(t.type, minus ? -n : n), {}};
    return {t.kind == Token::number ? "#INT" : "#REAL", minus ? -n : n, {}};
  }

  void type_of(Variable& v) {
    if (take("ARRAY")) {
      need("[");
      const long first = static_cast<long>(literal().number);
      need("..");
      const long last = static_cast<long>(literal().number);
      need("]");
      need("OF");
      v.bounds = {first, last};
    }
    v.type = upper(name());
    if (v.type == "STRING" && take("[")) {
      v.type = "STRING[" + std::to_string(static_cast<int>(literal().number)) + "]";
      need("]");
    }
  }

  // Keywords, and functions and blocks of the standard: systems refuse them as names of variables.
  static void check_free(const std::string& written) {
    static const std::set<std::string> kept{
        "AT",    "LIMIT", "MIN",    "MAX",    "ABS",    "SQRT",    "LN",   "LOG",   "EXP",  "SIN",
        "COS",   "TAN",   "ASIN",   "ACOS",   "ATAN",   "ADD",     "SUB",  "MUL",   "DIV",  "MOD",
        "EXPT",  "MOVE",  "SHL",    "SHR",    "ROL",    "ROR",     "AND",  "OR",    "XOR",  "NOT",
        "SEL",   "MUX",   "GT",     "GE",     "EQ",     "LE",      "LT",   "NE",    "LEN",  "LEFT",
        "RIGHT", "MID",   "CONCAT", "INSERT", "DELETE", "REPLACE", "FIND", "TON",   "TOF",  "TP",
        "CTU",   "CTD",   "CTUD",   "R_TRIG", "F_TRIG", "SR",      "RS",   "TRUNC", "TIME", "DATE",
        "TASK",  "WITH",  "ON",     "BY",     "TO",     "DO",      "OF",   "EN",    "ENO",  "STEP"};
    if (kept.contains(upper(written))) bad("a name of the standard: " + written);
  }

  void variables(Pou& pou, const std::string& section) {
    while (!take("END_VAR")) {
      const std::string written = name();
      check_free(written);
      Variable v;
      v.section = section;
      if (take("AT")) v.at = name();
      need(":");
      type_of(v);
      if (take(":=")) {
        if (take("[")) {
          do rows.push_back(row());
          while (take(","));
          need("]");
        } else {
          v.initial = as_type(v.type, literal());
        }
      }
      need(";");
      if (section == "VAR_INPUT") pou.inputs.push_back(upper(written));
      pou.order.push_back(written);
      if (!pou.variables.emplace(upper(written), v).second) bad("declared twice: " + written);
    }
  }

  std::map<std::string, IecValue> row() {
    std::map<std::string, IecValue> out;
    need("(");
    do {
      const std::string member = name();
      need(":=");
      out[member] = literal();
    } while (take(","));
    need(")");
    return out;
  }

  void file() {
    while (tokens[at].kind != Token::end) {
      if (take("TYPE")) {
        const std::string type = upper(name());
        need(":");
        need("STRUCT");
        while (!take("END_STRUCT")) {
          const std::string member = name();
          Variable v;
          need(":");
          type_of(v);
          need(";");
          structs[type][member] = v.type;
        }
        need(";");
        need("END_TYPE");
        continue;
      }
      Pou pou;
      pou.kind = upper(name());
      if (pou.kind != "FUNCTION" && pou.kind != "FUNCTION_BLOCK" && pou.kind != "PROGRAM")
        bad("what is " + pou.kind);
      const std::string pou_name = upper(name());
      if (pou.kind == "FUNCTION") {
        need(":");
        Variable v;
        type_of(v);
        pou.returns = v.type;
      }
      while (is("VAR") || is("VAR_INPUT") || is("VAR_OUTPUT")) {
        std::string section = upper(name());
        if (take("CONSTANT")) section += " CONSTANT";
        variables(pou, section);
      }
      pou.body = statements({"END_" + pou.kind});
      need("END_" + pou.kind);
      if (pou.kind == "PROGRAM") program = pou_name;
      if (!pous.emplace(pou_name, std::move(pou)).second) bad("two of " + pou_name);
    }
  }

  std::vector<Statement> statements(const std::vector<std::string>& ends) {
    std::vector<Statement> out;
    const auto at_end = [&] {
      for (const std::string& e : ends) {
        if (is(e)) return true;
      }
      return false;
    };
    while (!at_end()) out.push_back(statement());
    return out;
  }

  Statement statement() {
    Statement s;
    if (take("IF")) {
      s.op = "if";
      do {
        s.parts.push_back(expression());
        need("THEN");
        s.blocks.push_back(statements({"ELSIF", "ELSE", "END_IF"}));
      } while (take("ELSIF"));
      if (take("ELSE")) s.blocks.push_back(statements({"END_IF"}));
      need("END_IF");
    } else if (take("WHILE")) {
      s.op = "while";
      s.parts.push_back(expression());
      need("DO");
      s.blocks.push_back(statements({"END_WHILE"}));
      need("END_WHILE");
    } else if (take("FOR")) {
      s.op = "for";
      s.target = primary();
      need(":=");
      s.parts.push_back(expression());
      need("TO");
      s.parts.push_back(expression());
      if (take("BY")) s.parts.push_back(expression());
      need("DO");
      s.blocks.push_back(statements({"END_FOR"}));
      need("END_FOR");
    } else {
      s.target = primary();
      if (s.target->op == "call") {
        s.op = "call";
      } else {
        s.op = "set";
        need(":=");
        s.parts.push_back(expression());
      }
    }
    need(";");
    return s;
  }

  Ex binary(const std::vector<std::string>& ops, const std::function<Ex()>& deeper) {
    Ex left = deeper();
    while (true) {
      std::string found;
      for (const std::string& op : ops) {
        if (is(op)) found = op;
      }
      if (found.empty()) return left;
      ++at;
      left = std::make_shared<Expression>(Expression{found, {}, {}, {left, deeper()}, {}});
    }
  }
  Ex expression() {
    const auto product = [this] { return binary({"*", "/", "MOD"}, [this] { return unary(); }); };
    const auto sum = [this, product] { return binary({"+", "-"}, product); };
    const auto order = [this, sum] { return binary({"<", ">", "<=", ">="}, sum); };
    const auto equal = [this, order] { return binary({"=", "<>"}, order); };
    const auto conjunction = [this, equal] { return binary({"AND"}, equal); };
    const auto difference = [this, conjunction] { return binary({"XOR"}, conjunction); };
    return binary({"OR"}, difference);
  }
  Ex unary() {
    if (take("-")) return std::make_shared<Expression>(Expression{"neg", {}, {}, {primary()}, {}});
    if (take("NOT"))
      return std::make_shared<Expression>(Expression{"NOT", {}, {}, {primary()}, {}});
    return primary();
  }
  Ex primary() {
    if (take("(")) {
      Ex inner = expression();
      need(")");
      return inner;
    }
    if (tokens[at].kind != Token::name || is("TRUE") || is("FALSE")) {
      return std::make_shared<Expression>(Expression{"literal", literal(), {}, {}, {}});
    }
    Expression e;
    e.op = "name";
    e.name = upper(name());
    if (take("[")) {
      e.op = "index";
      e.parts.push_back(expression());
      need("]");
    } else if (take(".")) {
      e.op = "member";
      e.named.push_back(upper(name()));
    } else if (take("(")) {
      e.op = "call";
      while (!take(")")) {
        if (tokens[at].kind == Token::name && tokens[at + 1].value == ":=") {
          e.named.push_back(upper(name()));
          need(":=");
        }
        e.parts.push_back(expression());
        if (!is(")")) need(",");
      }
    }
    return std::make_shared<Expression>(e);
  }

  // ------------------------------------------------------------ running

  const Variable& declared(const Frame& frame, const std::string& n) const {
    const auto found = frame.pou->variables.find(n);
    if (found == frame.pou->variables.end()) bad("not declared: " + n);
    return found->second;
  }

  // "%MW100" and an index behind it -> "%MW103"
  static std::string located(const std::string& begin, long index) {
    std::size_t digits = begin.size();
    while (std::isdigit(static_cast<unsigned char>(begin[digits - 1]))) --digits;
    return begin.substr(0, digits) + std::to_string(std::stol(begin.substr(digits)) + index);
  }

  IecValue read(Frame& frame, const std::string& n, std::optional<long> index) {
    if (frame.pou->kind == "FUNCTION" && upper(n) == function_name(frame))
      return frame.values.at(n);
    const Variable& v = declared(frame, n);
    if (v.bounds.has_value() != index.has_value()) bad("index of " + n);
    if (index && (*index < v.bounds->first || *index > v.bounds->second)) bad("index outside " + n);
    const long offset = index ? *index - v.bounds->first : 0;
    if (!v.at.empty()) {
      const std::string place = located(v.at, offset);
      if (v.type == "BOOL") return {"BOOL", machine.memory.bits[place] ? 1.0L : 0.0L, {}};
      if (v.type != "WORD") bad("located " + v.type);
      return {"WORD", static_cast<long double>(machine.memory.words[place]), {}};
    }
    const std::string key = index ? n + "[" + std::to_string(*index) + "]" : n;
    auto found = frame.values.find(key);
    if (found == frame.values.end()) {
      found = frame.values.emplace(key, v.initial ? *v.initial : IecValue{v.type, 0, {}}).first;
    }
    return found->second;
  }

  void write(Frame& frame, const std::string& n, std::optional<long> index, const IecValue& value) {
    if (frame.pou->kind == "FUNCTION" && n == function_name(frame)) {
      frame.values[n] = as_type(frame.pou->returns, value);
      return;
    }
    const Variable& v = declared(frame, n);
    if (v.bounds.has_value() != index.has_value()) bad("index of " + n);
    if (index && (*index < v.bounds->first || *index > v.bounds->second)) bad("index outside " + n);
    if (v.section.ends_with("CONSTANT")) bad("constant: " + n);
    const IecValue fitting = as_type(v.type, value);
    const long offset = index ? *index - v.bounds->first : 0;
    if (v.at.empty()) {
      frame.values[index ? n + "[" + std::to_string(*index) + "]" : n] = fitting;
    } else if (v.type == "BOOL") {
      machine.memory.bits[located(v.at, offset)] = fitting.number != 0;
    } else {
      machine.memory.words[located(v.at, offset)] = static_cast<std::uint16_t>(raw(fitting));
    }
  }

  std::string function_name(const Frame& frame) const {
    for (const auto& [n, pou] : pous) {
      if (&pou == frame.pou) return n;
    }
    return {};
  }

  IecValue evaluate(Frame& frame, const Ex& e) {
    if (e->op == "literal") return e->value;
    if (e->op == "name") return read(frame, e->name, {});
    if (e->op == "index") {
      return read(frame, e->name, static_cast<long>(evaluate(frame, e->parts[0]).number));
    }
    if (e->op == "member") return member(frame, e->name, e->named[0]);
    if (e->op == "call") return call_function(frame, *e);
    IecValue a = evaluate(frame, e->parts[0]);
    if (e->op == "neg") {
      a.number = -a.number;
      if (a.type[0] != '#') check_range(a.type, a.number);
      return a;
    }
    if (e->op == "NOT") {
      if (a.type == "BOOL") return {"BOOL", a.number != 0 ? 0.0L : 1.0L, {}};
      return of_bits(a.type, ~raw(a));
    }
    IecValue b = evaluate(frame, e->parts[1]);
    if (a.type[0] == '#' && b.type[0] != '#') a = as_type(b.type, a);
    if (b.type[0] == '#' && a.type[0] != '#') b = as_type(a.type, b);
    if (a.type != b.type && !(is_text(a.type) && is_text(b.type))) {
      bad("a " + a.type + " " + e->op + " a " + b.type);
    }
    return operate(e->op, a, b);
  }

  static IecValue operate(const std::string& op, const IecValue& a, const IecValue& b) {
    const auto truth = [](bool t) { return IecValue{"BOOL", t ? 1.0L : 0.0L, {}}; };
    const bool texts = is_text(a.type);
    if (op == "=") return truth(texts ? a.text == b.text : a.number == b.number);
    if (op == "<>") return truth(texts ? a.text != b.text : a.number != b.number);
    if (op == "<") return truth(a.number < b.number);
    if (op == ">") return truth(a.number > b.number);
    if (op == "<=") return truth(a.number <= b.number);
    if (op == ">=") return truth(a.number >= b.number);
    if (op == "AND" || op == "OR" || op == "XOR") {
      if (bits_of(a.type) == 0) bad(op + " of " + a.type);
      const std::uint64_t x = raw(a);
      const std::uint64_t y = raw(b);
      return of_bits(a.type, op == "AND" ? x & y : op == "OR" ? x | y : x ^ y);
    }
    if (bits_of(a.type) != 0) bad("arithmetic on " + a.type);
    IecValue out{a.type, 0, {}};
    const bool real = is_real(a.type) || a.type == "#REAL";
    if (op == "+") out.number = a.number + b.number;
    if (op == "-") out.number = a.number - b.number;
    if (op == "*") out.number = a.number * b.number;
    if (op == "/") {
      if (!real && b.number == 0) bad("division by 0");
      out.number = real ? a.number / b.number : std::trunc(a.number / b.number);
    }
    if (op == "MOD") out.number = std::fmod(a.number, b.number);
    out.number = rounded(a.type, out.number);
    check_range(a.type, out.number);
    return out;
  }

  IecValue member(Frame& frame, const std::string& block, const std::string& n) {
    Frame& instance = instance_of(frame, block);
    if (instance.pou == nullptr) {
      if (n == "ET") {  // IEC 61131-3, 2.5.2.3.4: stands still at PT
        const long double elapsed = instance.since ? now - *instance.since : 0.0L;
        return {"TIME", std::min(elapsed, instance.values["PT"].number), {}};
      }
      if (n != "Q") bad("TON has no " + n);
      return instance.values.contains("Q") ? instance.values["Q"] : IecValue{"BOOL", 0, {}};
    }
    if (declared(instance, n).section != "VAR_OUTPUT") bad(n + " is no output");
    return read(instance, n, {});
  }

  Frame& instance_of(Frame& frame, const std::string& n) {
    auto& instance = frame.blocks[n];
    if (!instance) {
      instance = std::make_unique<Frame>();
      const std::string& type = declared(frame, n).type;
      if (type != "TON") {
        const auto pou = pous.find(type);
        if (pou == pous.end() || pou->second.kind != "FUNCTION_BLOCK") bad("no block: " + type);
        instance->pou = &pou->second;
      }
    }
    return *instance;
  }

  void call_block(Frame& frame, const Expression& e) {
    Frame& instance = instance_of(frame, e.name);
    if (e.named.size() != e.parts.size()) bad("inputs of a block without names");
    for (std::size_t i = 0; i < e.parts.size(); ++i) {
      const IecValue value = evaluate(frame, e.parts[i]);
      if (instance.pou == nullptr) {
        instance.values[e.named[i]] = value;
      } else {
        if (declared(instance, e.named[i]).section != "VAR_INPUT") bad(e.named[i] + " is no input");
        write(instance, e.named[i], {}, value);
      }
    }
    if (instance.pou != nullptr) {
      run(instance, instance.pou->body);
      return;
    }
    const bool in = instance.values["IN"].number != 0;
    if (!in) instance.since.reset();
    if (in && !instance.since) instance.since = now;
    const bool done = in && now - *instance.since >= instance.values["PT"].number;
    instance.values["Q"] = {"BOOL", done ? 1.0L : 0.0L, {}};
  }

  IecValue call_function(Frame& frame, const Expression& e) {
    if (!e.named.empty()) bad("a block called as a function: " + e.name);
    std::vector<IecValue> arguments;
    for (const Ex& part : e.parts) arguments.push_back(evaluate(frame, part));
    return call(e.name, arguments);
  }

  IecValue call(const std::string& n, std::vector<IecValue> arguments) {
    const auto pou = pous.find(n);
    if (pou == pous.end()) return standard(n, std::move(arguments));
    Frame inner;
    inner.pou = &pou->second;
    if (pou->second.kind != "FUNCTION" || arguments.size() != pou->second.inputs.size())
      bad("call of " + n);
    for (std::size_t i = 0; i < arguments.size(); ++i) {
      write(inner, pou->second.inputs[i], {}, arguments[i]);
    }
    run(inner, pou->second.body);
    if (!inner.values.contains(n)) bad(n + " gives nothing");
    return inner.values[n];
  }

  IecValue standard(const std::string& n, std::vector<IecValue> a) {
    const auto whole = [&](std::size_t i) { return static_cast<std::size_t>(a.at(i).number); };
    const auto text = [](std::string t) { return IecValue{"STRING", 0, std::move(t)}; };
    if (n == "SHL" || n == "SHR") {
      const std::size_t by = whole(1);
      const std::uint64_t value = raw(a[0]);
      if (bits_of(a[0].type) < 2) bad(n + " of " + a[0].type);
      return of_bits(a[0].type, by > 63 ? 0 : n == "SHL" ? value << by : value >> by);
    }
    if (n == "ABS") return {a[0].type, std::fabs(a[0].number), {}};
    if (n == "LIMIT") {
      const IecValue least = as_type(a[1].type, a[0]);
      const IecValue most = as_type(a[1].type, a[2]);
      a[1].number = std::min(std::max(a[1].number, least.number), most.number);
      return a[1];
    }
    if (n == "LEN") return {"INT", static_cast<long double>(a[0].text.size()), {}};
    if (n == "LEFT") return text(a[0].text.substr(0, whole(1)));
    if (n == "RIGHT") {
      return text(a[0].text.size() < whole(1) ? a[0].text
                                              : a[0].text.substr(a[0].text.size() - whole(1)));
    }
    if (n == "MID") return text(a[0].text.substr(whole(2) - 1, whole(1)));
    if (n == "CONCAT") return text(a.at(0).text + a.at(1).text);
    if (n == "FIND") {
      const std::size_t found = a[0].text.find(a[1].text);
      return {"INT",
              found == std::string::npos || a[1].text.empty() ? 0.0L
                                                              : static_cast<long double>(found + 1),
              {}};
    }
    const std::size_t to = n.find("_TO_");
    if (to == std::string::npos || a.size() != 1) bad("unknown function " + n);
    return converted(as_type(n.substr(0, to), a[0]), n.substr(to + 4));
  }

  IecValue converted(const IecValue& v, const std::string& type) const {
    if (bits_of(type) != 0) {
      if (is_real(v.type)) bad("bits of a real differ between systems");
      return of_bits(type, raw(v));
    }
    if (integer_bits(type) != 0 && bits_of(v.type) != 0) {
      const int bits = integer_bits(type);
      std::uint64_t value = raw(v);
      if (bits < 64) value &= (std::uint64_t{1} << bits) - 1;
      if (!is_signed(type)) return {type, static_cast<long double>(value), {}};
      const int shift = 64 - bits;
      return {
          type, static_cast<long double>(static_cast<std::int64_t>(value << shift) >> shift), {}};
    }
    if (integer_bits(type) != 0) {
      if (std::isnan(v.number)) bad("a whole number of what is none");
      const long double n = machine.cuts ? std::trunc(v.number) : std::nearbyint(v.number);
      check_range(type, n);
      return {type, n, {}};
    }
    if (is_real(type) && bits_of(v.type) == 0) return {type, rounded(type, v.number), {}};
    bad("no conversion of " + v.type + " to " + type);
  }

  void run(Frame& frame, const std::vector<Statement>& body) {
    const auto truth = [&](const Ex& e) {
      const IecValue v = evaluate(frame, e);
      if (v.type != "BOOL") bad("a condition that is " + v.type);
      return v.number != 0;
    };
    for (const Statement& s : body) {
      if (s.op == "set") {
        const std::optional<long> index =
            s.target->op == "index"
                ? std::optional(static_cast<long>(evaluate(frame, s.target->parts[0]).number))
                : std::nullopt;
        if (s.target->op != "name" && s.target->op != "index") bad("no target");
        write(frame, s.target->name, index, evaluate(frame, s.parts[0]));
      } else if (s.op == "call") {
        call_block(frame, *s.target);
      } else if (s.op == "if") {
        std::size_t i = 0;
        while (i < s.parts.size() && !truth(s.parts[i])) ++i;
        if (i < s.blocks.size()) run(frame, s.blocks[i]);
      } else if (s.op == "while") {
        for (int turns = 0; truth(s.parts[0]); ++turns) {
          if (turns > 1000) bad("a loop without end");
          run(frame, s.blocks[0]);
        }
      } else {
        const long step =
            s.parts.size() > 2 ? static_cast<long>(evaluate(frame, s.parts[2]).number) : 1;
        const long last = static_cast<long>(evaluate(frame, s.parts[1]).number);
        for (long i = static_cast<long>(evaluate(frame, s.parts[0]).number);
             step > 0 ? i <= last : i >= last; i += step) {
          write(frame, s.target->name, {}, {"#INT", static_cast<long double>(i), {}});
          run(frame, s.blocks[0]);
        }
      }
    }
  }
};

IecMachine::IecMachine(const std::string& source) : inside_(std::make_unique<Inside>(*this)) {
  inside_->tokens = tokens_of(source);
  inside_->file();
  inside_->main.pou = inside_->program.empty() ? nullptr : &inside_->pous.at(inside_->program);
}

IecMachine::~IecMachine() = default;

void IecMachine::scan(long double now_ms) {
  inside_->now = now_ms;
  inside_->run(inside_->main, inside_->main.pou->body);
}

IecValue IecMachine::get(const std::string& name) const {
  return inside_->read(inside_->main, upper(name), {});
}

void IecMachine::set(const std::string& name, const IecValue& value) {
  IecValue as_given = value;
  const auto variable = inside_->main.pou->variables.find(upper(name));
  if (value.type == "#REAL" && variable != inside_->main.pou->variables.end() &&
      is_real(variable->second.type)) {
    as_given = {variable->second.type, rounded(variable->second.type, value.number), {}};
  }
  inside_->write(inside_->main, upper(name), {}, as_given);
}

std::vector<std::string> IecMachine::names(const std::string& section) const {
  std::vector<std::string> out;
  for (const std::string& name : inside_->main.pou->order) {
    if (inside_->main.pou->variables.at(upper(name)).section == section) out.push_back(name);
  }
  return out;
}

const std::vector<std::map<std::string, IecValue>>& IecMachine::table() const {
  return inside_->rows;
}

IecValue IecMachine::call(const std::string& function, const std::vector<IecValue>& arguments) {
  return inside_->call(upper(function), arguments);
}

}  // namespace greymet::test
