#include "iec_interpreter.h"

#include <cctype>
#include <cmath>
#include <optional>
#include <set>
#include <stdexcept>

#include "iec_reader.h"

namespace greymet::test {
// Named: the machine keeps some of these types, which several sources may see at once.
namespace iec {
namespace {

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

}  // namespace

struct Frame;

// A variable with all that is in it.
struct Cell {
  std::string type;
  std::string at;  // where it lies
  bool is_constant = false;
  bool is_output = false;
  IecValue value;
  std::map<std::string, Cell> members;
  long first = 0;
  std::vector<Cell> elements;
  std::shared_ptr<Frame> block;  // of a function block
};

struct Frame {
  const Pou* pou = nullptr;  // null: TON
  std::map<std::string, Cell> own;
  std::map<std::string, Cell*> given;  // VAR_IN_OUT and VAR_EXTERNAL
  std::optional<long double> since;    // of TON
};

}  // namespace iec

using namespace iec;

struct IecMachine::Inside {
  explicit Inside(IecMachine& owner, const std::string& text)
      : machine(owner), source(read_source(text)) {}

  IecMachine& machine;
  Source source;
  std::map<std::string, Cell> globals;
  Frame main;
  long double now = 0;
  std::vector<std::map<std::string, IecValue>> rows;

  // ------------------------------------------------------------ variables

  // "%MW100" and an index behind it -> "%MW103"
  static std::string located(const std::string& begin, long index) {
    std::size_t digits = begin.size();
    while (std::isdigit(static_cast<unsigned char>(begin[digits - 1]))) --digits;
    return begin.substr(0, digits) + std::to_string(std::stol(begin.substr(digits)) + index);
  }

  Cell cell_of(const Variable& v) {
    Cell cell;
    cell.is_constant = v.section.ends_with("CONSTANT");
    cell.is_output = v.section == "VAR_OUTPUT";
    if (v.bounds) {
      cell.first = v.bounds->first;
      cell.type = "ARRAY OF " + v.type;
      for (long i = v.bounds->first; i <= v.bounds->second; ++i) {
        Variable one = v;
        one.bounds.reset();
        one.rows.clear();
        if (!v.at.empty()) one.at = located(v.at, i - v.bounds->first);
        cell.elements.push_back(cell_of(one));
        if (v.rows.empty()) continue;
        const auto& row = v.rows[static_cast<std::size_t>(i - v.bounds->first)];
        for (const auto& [member, value] : row) {
          Cell& held = cell.elements.back().members.at(upper(member));
          held.value = as_type(held.type, value);
          held.is_constant = cell.is_constant;
        }
        if (row.size() != cell.elements.back().members.size()) bad("a row without a member");
      }
      if (!v.rows.empty()) rows = v.rows;
      return cell;
    }
    cell.type = v.type;
    cell.at = v.at;
    if (const auto type = source.structs.find(v.type); type != source.structs.end()) {
      for (const auto& [n, member] : type->second) cell.members.emplace(n, cell_of(member));
      return cell;
    }
    if (v.type == "TON") {
      cell.block = std::make_shared<Frame>();
      cell.block->own["IN"].value = {"BOOL", 0, {}};
      cell.block->own["Q"].value = {"BOOL", 0, {}};
      cell.block->own["PT"].value = {"TIME", 0, {}};
      return cell;
    }
    if (const auto pou = source.pous.find(v.type); pou != source.pous.end()) {
      if (pou->second.kind != "FUNCTION_BLOCK") bad("no block: " + v.type);
      cell.block = std::make_shared<Frame>();
      open(*cell.block, pou->second);
      return cell;
    }
    const bool known = bits_of(v.type) != 0 || integer_bits(v.type) != 0 || is_real(v.type) ||
                       is_text(v.type) || v.type == "TIME";
    if (!known) bad("what is " + v.type);
    if (!v.at.empty() && v.type != "WORD" && v.type != "BOOL") bad("located " + v.type);
    cell.value = v.initial ? *v.initial : IecValue{v.type, 0, {}};
    return cell;
  }

  void open(Frame& frame, const Pou& pou) {
    frame.pou = &pou;
    for (const auto& [n, v] : pou.variables) {
      if (v.section == "VAR_IN_OUT") {
        frame.given[n] = nullptr;
      } else if (v.section.starts_with("VAR_EXTERNAL")) {
        const auto global = source.globals.find(n);
        if (global == source.globals.end()) bad("no global: " + n);
        if (global->second.type != v.type || global->second.bounds != v.bounds ||
            global->second.section.ends_with("CONSTANT") != v.section.ends_with("CONSTANT")) {
          bad("a global of another type: " + n);
        }
        frame.given[n] = &globals.at(n);
      } else {
        frame.own.emplace(n, cell_of(v));
      }
    }
    if (!pou.returns.empty()) return;
  }

  // Every place of memory belongs to one variable.
  void check_places() const {
    std::set<std::string> places;
    const auto add = [&](const std::string& at) {
      if (!at.empty() && !places.insert(at).second) bad("two variables at " + at);
    };
    for (const auto& [n, cell] : globals) {
      add(cell.at);
      for (const Cell& each : cell.elements) add(each.at);
    }
  }

  void start() {
    for (const auto& [n, v] : source.globals) globals.emplace(n, cell_of(v));
    check_places();
    if (!source.program.empty()) open(main, source.pous.at(source.program));
  }

  Cell& cell_at(Frame& frame, const Ex& e) {
    if (e->op == "name") {
      if (const auto own = frame.own.find(e->name); own != frame.own.end()) return own->second;
      const auto given = frame.given.find(e->name);
      if (given == frame.given.end()) bad("not declared: " + e->name);
      if (given->second == nullptr) bad("not given: " + e->name);
      return *given->second;
    }
    if (e->op == "index") {
      Cell& array = cell_at(frame, e->parts[0]);
      if (array.elements.empty()) bad("an index of what is no array");
      const IecValue index = evaluate(frame, e->parts[1]);
      if (integer_bits(index.type) == 0 && index.type != "#INT") bad("an index of " + index.type);
      const long i = static_cast<long>(index.number) - array.first;
      if (i < 0 || i >= static_cast<long>(array.elements.size())) bad("an index outside");
      return array.elements[static_cast<std::size_t>(i)];
    }
    if (e->op != "member") bad("no variable");
    Cell& whole = cell_at(frame, e->parts[0]);
    if (whole.block) {
      Frame& inside = *whole.block;
      if (inside.pou == nullptr) {
        if (e->name == "ET") {  // IEC 61131-3, 2.5.2.3.4: stands still at PT
          const long double elapsed = inside.since ? now - *inside.since : 0.0L;
          inside.own["ET"].value = {"TIME", std::min(elapsed, inside.own["PT"].value.number), {}};
        } else if (e->name != "Q") {
          bad("TON has no " + e->name);
        }
        return inside.own[e->name];
      }
      const auto found = inside.own.find(e->name);
      if (found == inside.own.end() || !found->second.is_output) bad(e->name + " is no output");
      return found->second;
    }
    const auto found = whole.members.find(e->name);
    if (found == whole.members.end()) bad("no member " + e->name + " of " + whole.type);
    return found->second;
  }

  IecValue read(const Cell& cell) {
    if (!cell.members.empty() || !cell.elements.empty() || cell.block)
      bad("no value: " + cell.type);
    if (cell.at.empty()) return cell.value;
    if (cell.type == "BOOL") return {"BOOL", machine.memory.bits[cell.at] ? 1.0L : 0.0L, {}};
    return {"WORD", static_cast<long double>(machine.memory.words[cell.at]), {}};
  }

  void write(Cell& cell, const IecValue& value) {
    if (!cell.members.empty() || !cell.elements.empty() || cell.block)
      bad("no value: " + cell.type);
    if (cell.is_constant) bad("a constant of " + cell.type);
    const IecValue fitting = as_type(cell.type, value);
    if (cell.at.empty()) {
      cell.value = fitting;
    } else if (cell.type == "BOOL") {
      machine.memory.bits[cell.at] = fitting.number != 0;
    } else {
      machine.memory.words[cell.at] = static_cast<std::uint16_t>(raw(fitting));
    }
  }

  // ------------------------------------------------------------ running

  IecValue evaluate(Frame& frame, const Ex& e) {
    if (e->op == "literal") return e->value;
    if (e->op == "name" || e->op == "index" || e->op == "member") return read(cell_at(frame, e));
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

  void call_block(Frame& frame, const Expression& e) {
    const auto found = frame.own.find(e.name);
    if (found == frame.own.end() || !found->second.block) bad("no block: " + e.name);
    Frame& instance = *found->second.block;
    if (e.named.size() != e.parts.size()) bad("inputs of a block without names");
    for (std::size_t i = 0; i < e.parts.size(); ++i) {
      const std::string& n = e.named[i];
      if (instance.pou == nullptr) {
        if (n != "IN" && n != "PT") bad("TON has no " + n);
        instance.own[n].value = evaluate(frame, e.parts[i]);
        continue;
      }
      const auto variable = instance.pou->variables.find(n);
      if (variable == instance.pou->variables.end()) bad("no input: " + n);
      if (variable->second.section == "VAR_IN_OUT") {
        Cell& given = cell_at(frame, e.parts[i]);
        const std::string wanted =
            (variable->second.bounds ? "ARRAY OF " : "") + variable->second.type;
        if (given.type != wanted) bad("a " + given.type + " for " + n);
        if (variable->second.bounds &&
            static_cast<long>(given.elements.size()) !=
                variable->second.bounds->second - variable->second.bounds->first + 1) {
          bad("an array of another size for " + n);
        }
        instance.given[n] = &given;
        continue;
      }
      if (variable->second.section != "VAR_INPUT") bad(n + " is no input");
      write(instance.own.at(n), evaluate(frame, e.parts[i]));
    }
    if (instance.pou != nullptr) {
      run(instance, instance.pou->body);
      for (auto& [n, v] : instance.pou->variables) {
        if (v.section == "VAR_IN_OUT") instance.given[n] = nullptr;  // given at each call
      }
      return;
    }
    const bool in = instance.own["IN"].value.number != 0;
    if (!in) instance.since.reset();
    if (in && !instance.since) instance.since = now;
    const bool done = in && now - *instance.since >= instance.own["PT"].value.number;
    instance.own["Q"].value = {"BOOL", done ? 1.0L : 0.0L, {}};
  }

  IecValue call_function(Frame& frame, const Expression& e) {
    if (!e.named.empty()) bad("a block called as a function: " + e.name);
    std::vector<IecValue> arguments;
    for (const Ex& part : e.parts) arguments.push_back(evaluate(frame, part));
    return call(e.name, arguments);
  }

  IecValue call(const std::string& n, std::vector<IecValue> arguments) {
    const auto pou = source.pous.find(n);
    if (pou == source.pous.end()) return standard(n, std::move(arguments));
    Frame inner;
    if (pou->second.kind != "FUNCTION" || arguments.size() != pou->second.inputs.size())
      bad("call of " + n);
    open(inner, pou->second);
    for (std::size_t i = 0; i < arguments.size(); ++i) {
      write(inner.own.at(pou->second.inputs[i]), arguments[i]);
    }
    Cell& result = inner.own[n];
    result.type = pou->second.returns;
    run(inner, pou->second.body);
    if (result.value.type.empty()) bad(n + " gives nothing");
    return result.value;
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
        Cell& target = cell_at(frame, s.target);
        if (frame.pou != nullptr && s.target->op == "name") {
          const auto variable = frame.pou->variables.find(s.target->name);
          if (variable != frame.pou->variables.end() && variable->second.section == "VAR_INPUT")
            bad("an input is set: " + s.target->name);
        }
        write(target, evaluate(frame, s.parts[0]));
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
        Cell& counter = cell_at(frame, s.target);
        for (long i = static_cast<long>(evaluate(frame, s.parts[0]).number);
             step > 0 ? i <= last : i >= last; i += step) {
          write(counter, {"#INT", static_cast<long double>(i), {}});
          run(frame, s.blocks[0]);
        }
      }
    }
  }

  // A path as the program, or whoever shares its globals, would write it.
  Cell& named(const std::string& path) {
    Frame all;
    for (auto& [n, cell] : globals) all.given[n] = &cell;
    for (auto& [n, cell] : main.own) all.given[n] = &cell;
    return cell_at(all, read_path(path));
  }
};

IecMachine::IecMachine(const std::string& source)
    : inside_(std::make_unique<Inside>(*this, source)) {
  inside_->start();
}

IecMachine::~IecMachine() = default;

void IecMachine::scan(long double now_ms) {
  inside_->now = now_ms;
  inside_->run(inside_->main, inside_->main.pou->body);
}

std::optional<long double> IecMachine::interval_ms() const {
  return inside_->source.interval_ms;
}

IecValue IecMachine::get(const std::string& name) const {
  return inside_->read(inside_->named(name));
}

void IecMachine::set(const std::string& name, const IecValue& value) {
  Cell& cell = inside_->named(name);
  IecValue as_given = value;
  if (value.type == "#REAL" && is_real(cell.type)) {
    as_given = {cell.type, rounded(cell.type, value.number), {}};
  }
  inside_->write(cell, as_given);
}

bool IecMachine::has(const std::string& name) const {
  return inside_->globals.contains(upper(name));
}

const std::vector<std::map<std::string, IecValue>>& IecMachine::table() const {
  return inside_->rows;
}

IecValue IecMachine::call(const std::string& function, const std::vector<IecValue>& arguments) {
  return inside_->call(upper(function), arguments);
}

}  // namespace greymet::test
