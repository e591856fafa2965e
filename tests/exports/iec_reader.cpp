#include "iec_reader.h"

#include <cctype>
#include <cmath>
#include <functional>
#include <set>
#include <stdexcept>

namespace greymet::test::iec {

void bad(const std::string& what) {
  throw std::runtime_error(what);
}

std::string upper(std::string text) {
  for (char& c : text) c = static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
  return text;
}

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

namespace {

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

class Reader {
 public:
  explicit Reader(const std::string& text) : tokens(tokens_of(text)) {}

  Source source;
  std::vector<Token> tokens;
  std::size_t at = 0;

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

  using Declared = std::vector<std::pair<std::string, Variable>>;

  Declared variables(const std::string& section) {
    Declared out;
    while (!take("END_VAR")) {
      const std::string written = name();
      check_free(written);
      Variable v;
      v.section = section;
      if (take("AT")) v.at = name();
      need(":");
      type_of(v);
      if (take(":=")) {
        if (section.starts_with("VAR_EXTERNAL")) bad("a value of what is elsewhere: " + written);
        if (take("[")) {
          do v.rows.push_back(row());
          while (take(","));
          need("]");
          if (!v.bounds ||
              v.bounds->second - v.bounds->first + 1 != static_cast<long>(v.rows.size()))
            bad("rows of " + written);
        } else {
          v.initial = as_type(v.type, literal());
        }
      }
      need(";");
      for (const auto& [known, other] : out) {
        if (known == upper(written)) bad("declared twice: " + written);
      }
      out.emplace_back(upper(written), v);
    }
    return out;
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

  std::string section() {
    std::string out = upper(name());
    static const std::set<std::string> known{"VAR",        "VAR_INPUT",    "VAR_OUTPUT",
                                             "VAR_IN_OUT", "VAR_EXTERNAL", "VAR_GLOBAL"};
    if (!known.contains(out)) bad("what is " + out);
    if (take("CONSTANT")) out += " CONSTANT";
    return out;
  }
  bool at_section() const {
    return tokens[at].kind == Token::name && upper(tokens[at].value).starts_with("VAR");
  }

  void structure() {
    const std::string type = upper(name());
    check_free(type);
    need(":");
    need("STRUCT");
    Declared members;
    while (!take("END_STRUCT")) {
      const std::string member = name();
      check_free(member);
      Variable v;
      need(":");
      type_of(v);
      need(";");
      for (const auto& [known, other] : members) {
        if (known == upper(member)) bad("a member twice: " + member);
      }
      members.emplace_back(upper(member), v);
    }
    need(";");
    need("END_TYPE");
    if (!source.structs.emplace(type, members).second) bad("two of " + type);
  }

  void configuration() {
    (void)name();
    while (at_section()) {
      const std::string kind = section();
      if (!kind.starts_with("VAR_GLOBAL")) bad(kind + " in a configuration");
      for (auto& [n, v] : variables(kind)) {
        if (!source.globals.emplace(n, v).second) bad("two globals: " + n);
      }
    }
    need("RESOURCE");
    (void)name();
    need("ON");
    (void)name();
    need("TASK");
    const std::string task = name();
    need("(");
    need("INTERVAL");
    need(":=");
    source.interval_ms = literal().number;
    need(",");
    need("PRIORITY");
    need(":=");
    (void)literal();
    need(")");
    need(";");
    need("PROGRAM");
    (void)name();
    need("WITH");
    need(upper(task));
    need(":");
    if (upper(name()) != source.program) bad("another program runs");
    need(";");
    need("END_RESOURCE");
    need("END_CONFIGURATION");
  }

  void unit() {
    Pou pou;
    pou.kind = upper(name());
    if (pou.kind != "FUNCTION" && pou.kind != "FUNCTION_BLOCK" && pou.kind != "PROGRAM")
      bad("what is " + pou.kind);
    const std::string pou_name = upper(name());
    check_free(pou_name);
    if (pou.kind == "FUNCTION") {
      need(":");
      Variable v;
      type_of(v);
      pou.returns = v.type;
    }
    while (at_section()) {
      const std::string kind = section();
      for (auto& [n, v] : variables(kind)) {
        if (kind == "VAR_INPUT") pou.inputs.push_back(n);
        if (!v.at.empty()) bad("located outside the globals: " + n);
        if (!pou.variables.emplace(n, v).second) bad("declared twice: " + n);
      }
    }
    pou.body = statements({"END_" + pou.kind});
    need("END_" + pou.kind);
    if (pou.kind == "PROGRAM") source.program = pou_name;
    if (source.structs.contains(pou_name) || !source.pous.emplace(pou_name, std::move(pou)).second)
      bad("two of " + pou_name);
  }

  void file() {
    while (tokens[at].kind != Token::end) {
      if (take("TYPE")) {
        structure();
      } else if (take("CONFIGURATION")) {
        configuration();
      } else {
        unit();
      }
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
    Ex e = std::make_shared<Expression>(Expression{"name", {}, upper(name()), {}, {}});
    if (take("(")) {
      e->op = "call";
      while (!take(")")) {
        if (tokens[at].kind == Token::name && tokens[at + 1].value == ":=") {
          e->named.push_back(upper(name()));
          need(":=");
        }
        e->parts.push_back(expression());
        if (!is(")")) need(",");
      }
      return e;
    }
    while (true) {
      if (take("[")) {
        e = std::make_shared<Expression>(Expression{"index", {}, {}, {e, expression()}, {}});
        need("]");
      } else if (take(".")) {
        e = std::make_shared<Expression>(Expression{"member", {}, upper(name()), {e}, {}});
      } else {
        return e;
      }
    }
  }
};

}  // namespace

Source read_source(const std::string& text) {
  Reader reader(text);
  reader.file();
  return std::move(reader.source);
}

Ex read_path(const std::string& text) {
  Reader reader(text);
  return reader.primary();
}

}  // namespace greymet::test::iec
