// What the exported Structured Text does when it runs: against arithmetic on bytes.
#include <cstring>
#include <random>

#include <fmt/format.h>
#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "exported.h"
#include "iec_interpreter.h"
#include "plans.h"

using namespace greymet;
using test::IecMachine;
using test::IecValue;

namespace {

struct TypeUnderTest {
  std::string name;      // of a map
  std::string variable;  // type in the program
  int words;
  double factor = 1;
  double offset = 0;
};

const std::vector<TypeUnderTest> types{
    {"u16", "UINT", 1},        {"i16", "INT", 1},           {"u32", "UDINT", 2},
    {"i32", "DINT", 2},        {"u64", "ULINT", 4},         {"i64", "LINT", 4},
    {"f32", "REAL", 2},        {"f64", "LREAL", 4},         {"bcd16", "UDINT", 1},
    {"bcd32", "UDINT", 2},     {"text(5)", "STRING[5]", 3}, {"text(6)", "STRING[6]", 3},
    {"bits", "WORD", 1},       {"u16", "REAL", 1, 0.1},     {"i16", "REAL", 1, 0.5, -40},
    {"u32", "LREAL", 2, 0.01}, {"i32", "LREAL", 2, 1, 7},   {"f32", "REAL", 2, 2, 0},
};
const std::vector<std::string> orders{"ABCD", "CDAB", "BADC", "DCBA"};

std::string point_name(std::size_t t, const std::string& order) {
  return fmt::format("p{}_{}", t, order);
}

struct Placed {
  std::size_t type;
  std::string order;
  int at;  // register of the map, and word behind the begin of the memory
};

std::vector<Placed> placed() {
  std::vector<Placed> out;
  int at = 0;
  for (const std::string& order : orders) {
    for (std::size_t t = 0; t < types.size(); ++t) {
      out.push_back({t, order, at});
      at += types[t].words;
    }
  }
  return out;
}

constexpr int written_from = 1000;  // memory of what is written, and register

test::Exported plan_of_types() {
  std::string map = "point,area,address,type,word_order,factor,offset,access\n";
  for (const int base : {0, written_from}) {
    for (const Placed& p : placed()) {
      map += fmt::format("{}{},hr,{},{},{},{},{},{}\n", base == 0 ? "r_" : "w_",
                         point_name(p.type, p.order), p.at + base, types[p.type].name, p.order,
                         types[p.type].factor, types[p.type].offset, base == 0 ? "r" : "rw");
    }
  }
  std::string rows;
  const int all = placed().back().at + types.back().words;
  const int one = all / 4;  // registers of one order
  for (int i = 0; i < 4; ++i) {
    rows += fmt::format(
        "{{ name = \"in{0}\", slave = \"gauge\", fc = 3, at = {1}, count = {2}, into = \"%MW{1}\", "
        "every = \"1s\", on_loss = \"{4}\" }},\n"
        "{{ name = \"out{0}\", slave = \"gauge\", fc = 16, at = {3}, count = {2}, from = "
        "\"%MW{3}\", "
        "every = \"1s\" }},\n",
        i, i * one, one, i * one + written_from, i == 0 ? "zero" : "alarm");
  }
  const std::string plan = R"([controller.kiln]
scan = "10ms"
[controller.kiln.memory]
"%MW" = { kind = "word", first = 0, count = 4000 }
[line.north]
master = "kiln"
mode = "rtu"
baud = 19200
format = "8E1"
[slave.gauge]
line = "north"
unit = 12
map = "gauge.csv"
[exchange]
transactions = [
)" + rows + "]\n";
  return test::Exported(test::load(plan, {{"gauge.csv", map}}));
}

// The bytes of a value, most significant first, in the order in which words carry them: A is the
// most significant. Each letter pair of the order is one word of a pair of words.
std::vector<std::uint16_t> words_of(std::vector<std::uint8_t> bytes, const std::string& order) {
  std::vector<std::uint16_t> words;
  for (std::size_t i = 0; i < bytes.size(); i += 2) {
    words.push_back(static_cast<std::uint16_t>(bytes[i] << 8 | bytes[i + 1]));
  }
  if (words.size() == 1) return words;
  if (order == "CDAB" || order == "DCBA") words = {words.rbegin(), words.rend()};
  if (order == "BADC" || order == "DCBA") {
    for (auto& w : words) w = static_cast<std::uint16_t>(w << 8 | w >> 8);
  }
  return words;
}

std::vector<std::uint8_t> bytes_of(std::uint64_t bits, int words) {
  std::vector<std::uint8_t> out;
  for (int i = 2 * words - 1; i >= 0; --i)
    out.push_back(static_cast<std::uint8_t>(bits >> (8 * i)));
  return out;
}

// A raw value of the type as bits and as number; text aside.
struct Raw {
  std::uint64_t bits = 0;
  long double number = 0;
};

template <class T, class Bits>
Raw real_from(std::mt19937_64& random) {
  Raw out;
  T value = 0;
  do {
    const auto bits = static_cast<Bits>(random());
    std::memcpy(&value, &bits, sizeof value);
    out.bits = bits;
  } while (!(value - value == 0) || (value == 0 && std::signbit(value)));
  out.number = value;
  return out;
}

Raw raw_of(const std::string& type, std::mt19937_64& random) {
  const std::uint64_t r = random();
  if (type == "f32") return real_from<float, std::uint32_t>(random);
  if (type == "f64") return real_from<double, std::uint64_t>(random);
  if (type.starts_with("bcd")) {
    const int digits = type == "bcd16" ? 4 : 8;
    Raw out;
    long double n = 0;
    for (int i = 0; i < digits; ++i) {
      const std::uint64_t digit = random() % 10;
      out.bits = out.bits << 4 | digit;
      n = n * 10 + digit;
    }
    out.number = n;
    return out;
  }
  if (type == "u16" || type == "bits") return {r & 0xffff, static_cast<long double>(r & 0xffff)};
  if (type == "i16") return {r & 0xffff, static_cast<long double>(static_cast<std::int16_t>(r))};
  if (type == "u32") return {r & 0xffffffff, static_cast<long double>(r & 0xffffffff)};
  if (type == "i32")
    return {r & 0xffffffff, static_cast<long double>(static_cast<std::int32_t>(r))};
  if (type == "i64") return {r, static_cast<long double>(static_cast<std::int64_t>(r))};
  return {r, static_cast<long double>(r)};
}

void check_number(const IecValue& got, const TypeUnderTest& type, long double raw) {
  CHECK(got.type == type.variable);
  if (type.factor == 1 && type.offset == 0) {
    CHECK(got.number == raw);
    return;
  }
  const long double wanted = raw * type.factor + type.offset;
  const long double precision = type.variable == "REAL" ? 1e-6L : 1e-14L;
  CHECK(std::fabs(got.number - wanted) <= precision * (std::fabs(wanted) + std::fabs(type.offset)));
}

std::string capitals_of(std::string name) {
  for (char& c : name) c = c == '-' ? '_' : static_cast<char>(std::toupper(c));
  return name;
}

// All that is asked is answered well.
void answer(IecMachine& machine, const std::vector<std::string>& requests) {
  for (const std::string& each : requests) {
    machine.set("requests[NO_" + each + "].good", {"BOOL", 1, {}});
  }
}
const std::vector<std::string> all_in{"IN0", "IN1", "IN2", "IN3"};

}  // namespace

TEST_CASE("Structured Text takes every type in every word order out of memory, and puts it there") {
  const test::Exported exported = plan_of_types();
  for (const auto& f : exported.loaded.findings) FAIL(f.message);
  const std::string source = exported.program("kiln");
  CHECK(source.find("left out") == std::string::npos);
  std::mt19937_64 random(7);
  for (int round = 0; round < 4; ++round) {
    IecMachine machine(source);
    machine.cuts = round % 2 == 1;
    answer(machine, all_in);
    machine.set("send_values", {"BOOL", 1, {}});
    std::map<std::string, Raw> read;
    std::map<std::string, std::string> texts;
    std::map<std::string, std::vector<std::uint16_t>> expected;
    for (const Placed& p : placed()) {
      const TypeUnderTest& type = types[p.type];
      const std::string name = point_name(p.type, p.order);
      if (type.name.starts_with("text")) {
        const std::size_t length = type.name == "text(5)" ? 5 : 6;
        std::string text(random() % (length + 1), ' ');
        for (char& c : text) c = static_cast<char>(33 + random() % 94);
        texts[name] = text;
        std::vector<std::uint8_t> bytes(text.begin(), text.end());
        bytes.resize(6);
        auto words = words_of(bytes, "ABCD");  // words of a text stay in their order
        if (p.order == "BADC" || p.order == "DCBA") {
          for (auto& w : words) w = static_cast<std::uint16_t>(w << 8 | w >> 8);
        }
        for (std::size_t i = 0; i < words.size(); ++i) {
          machine.memory.words[fmt::format("%MW{}", p.at + static_cast<int>(i))] = words[i];
        }
        expected[name] = words;
        machine.set("gauge_set.w_" + name, {"STRING", 0, text});
        continue;
      }
      const Raw raw = raw_of(type.name, random);
      read[name] = raw;
      const auto words = words_of(bytes_of(raw.bits, type.words), p.order);
      for (std::size_t i = 0; i < words.size(); ++i) {
        machine.memory.words[fmt::format("%MW{}", p.at + static_cast<int>(i))] = words[i];
      }
      const bool scaled = type.factor != 1 || type.offset != 0;
      if (!scaled) {
        expected[name] = words;
        machine.set("gauge_set.w_" + name, {type.variable, raw.number, {}});
      } else if (type.name != "f32") {
        // small enough for the precision of the scaled variable
        const Raw small{raw.bits & 0x3fff, static_cast<long double>(raw.bits & 0x3fff)};
        expected[name] = words_of(bytes_of(small.bits, type.words), p.order);
        const double value = static_cast<double>(small.number) * type.factor + type.offset;
        machine.set("gauge_set.w_" + name, {"#REAL", static_cast<long double>(value), {}});
      }
    }
    machine.scan(0);
    for (const Placed& p : placed()) {
      const std::string name = point_name(p.type, p.order);
      INFO(types[p.type].name << " " << name << " round " << round);
      if (texts.contains(name)) {
        CHECK(machine.get("gauge.r_" + name).text == texts[name]);
      } else if (types[p.type].name != "f32" || types[p.type].factor == 1) {
        check_number(machine.get("gauge.r_" + name), types[p.type], read[name].number);
      }
      if (!expected.contains(name)) continue;
      for (std::size_t i = 0; i < expected[name].size(); ++i) {
        CHECK(
            machine.memory.words[fmt::format("%MW{}", p.at + written_from + static_cast<int>(i))] ==
            expected[name][i]);
      }
    }
  }
}

TEST_CASE("what is no number keeps the last value and says so; what is too large is limited") {
  const test::Exported exported = plan_of_types();
  IecMachine machine(exported.program("kiln"));
  answer(machine, all_in);
  std::map<std::string, int> at;
  for (const Placed& p : placed()) at[point_name(p.type, p.order)] = p.at;
  const std::string real = "p6_ABCD";  // f32
  const std::string bcd = "p8_ABCD";   // bcd16
  const auto word = [&](const std::string& name, int i) -> std::uint16_t& {
    return machine.memory.words[fmt::format("%MW{}", at.at(name) + i)];
  };
  word(real, 0) = 0x3f80;  // 1.0
  word(bcd, 0) = 0x1234;
  machine.scan(0);
  CHECK(machine.get("gauge.r_" + real).number == 1);
  CHECK(machine.get("gauge.r_" + bcd).number == 1234);
  CHECK(machine.get("requests[NO_IN0].no_number").number == 0);
  word(real, 0) = 0x7fc0;  // NaN
  machine.scan(10);
  CHECK(machine.get("gauge.r_" + real).number == 1);
  CHECK(machine.get("requests[NO_IN0].no_number").number == 1);
  word(real, 0) = 0xff80;  // - infinite
  word(bcd, 0) = 0x12a4;
  machine.scan(20);
  CHECK(machine.get("gauge.r_" + real).number == 1);
  CHECK(machine.get("gauge.r_" + bcd).number == 1234);
  CHECK(machine.get("requests[NO_IN0].no_number").number == 1);
  word(real, 0) = 0x4000;
  word(bcd, 0) = 0x0099;
  machine.scan(30);
  CHECK(machine.get("gauge.r_" + real).number == 2);
  CHECK(machine.get("requests[NO_IN0].no_number").number == 0);
  // on_loss = "zero" and "alarm"
  machine.set("requests[NO_IN0].good", {"BOOL", 0, {}});
  machine.set("requests[NO_IN1].good", {"BOOL", 0, {}});
  machine.scan(40);
  CHECK(machine.get("gauge.r_" + real).number == 0);
  CHECK(machine.get("requests[NO_IN1].alarm").number == 1);
  CHECK(machine.get("requests[NO_IN2].alarm").number == 0);

  machine.set("send_values", {"BOOL", 1, {}});
  machine.set("gauge_set.w_p13_ABCD", {"#REAL", 1e6L, {}});   // u16 x 0.1
  machine.set("gauge_set.w_p14_ABCD", {"#REAL", -1e6L, {}});  // i16 x 0.5 - 40
  machine.set("gauge_set.w_p15_ABCD", {"#REAL", 1e12L, {}});  // u32 x 0.01
  machine.set("gauge_set.w_p8_ABCD", {"UDINT", 12345, {}});   // bcd16
  machine.scan(50);
  const auto sent = [&](const std::string& name, int i) {
    return machine.memory.words[fmt::format("%MW{}", at.at(name) + written_from + i)];
  };
  CHECK(sent("p13_ABCD", 0) == 0xffff);
  CHECK(sent("p14_ABCD", 0) == 0x8000);
  CHECK(sent("p15_ABCD", 0) == 0xffff);
  CHECK(sent("p15_ABCD", 1) == 0xffff);
  CHECK(sent("p8_ABCD", 0) == 0x9999);
}

TEST_CASE("nothing is put into memory before it is said that values may be sent") {
  const test::Exported exported = plan_of_types();
  IecMachine machine(exported.program("kiln"));
  machine.set("gauge_set.w_p0_ABCD", {"UINT", 77, {}});
  machine.scan(0);
  for (const auto& [place, value] : machine.memory.words) {
    INFO(place);
    CHECK(value == 0);
  }
}

TEST_CASE("reals are taken from bits, and bits from reals, to the last digit") {
  const test::Exported exported = plan_of_types();
  IecMachine machine(exported.program("kiln"));
  const auto check = [&](auto zero, auto bits, const char* real, const char* word) {
    decltype(zero) value = 0;
    std::memcpy(&value, &bits, sizeof value);
    const std::string name = std::string("GM_") + real;
    const long double shown = static_cast<long double>(bits);
    const bool is_number = value - value == 0;
    INFO(name << " " << bits);
    CHECK(machine.call(std::string("GM_IS_") + real, {{word, shown, {}}}).number == is_number);
    if (is_number) {
      CHECK(machine.call(name, {{word, shown, {}}}).number == static_cast<long double>(value));
      const auto back = machine.call(name + "_BITS", {{real, static_cast<long double>(value), {}}});
      CHECK(back.number == (value == 0 ? 0 : shown));
    }
  };
  std::mt19937_64 random(3);
  for (unsigned exponent = 0; exponent < 256; ++exponent) {
    for (const std::uint32_t fraction : {0U, 1U, 0x400000U, 0x7fffffU}) {
      check(0.0F, exponent << 23 | fraction, "REAL", "DWORD");
      check(0.0F, 0x80000000U | exponent << 23 | fraction, "REAL", "DWORD");
    }
  }
  for (std::uint64_t exponent = 0; exponent < 2048;
       exponent += exponent < 8 || exponent > 2040 ? 1 : 37) {
    for (const std::uint64_t fraction : {std::uint64_t{0}, std::uint64_t{1}, random() >> 12}) {
      check(0.0, exponent << 52 | fraction, "LREAL", "LWORD");
      check(0.0, std::uint64_t{1} << 63 | exponent << 52 | fraction, "LREAL", "LWORD");
    }
  }
  CHECK(machine.call("GM_REAL_BITS", {{"REAL", static_cast<long double>(INFINITY), {}}}).number ==
        0x7f800000);
  CHECK(machine.call("GM_REAL_BITS", {{"REAL", static_cast<long double>(NAN), {}}}).number ==
        0x7fc00000);
}

TEST_CASE("both programs of the demo can be read and run") {
  const test::Exported demo = test::exported_demo();
  IecMachine kiln(demo.program("kiln"));
  IecMachine loadout(demo.program("loadout"));
  // the table holds what the exchange holds
  std::size_t row = 0;
  for (const auto& t : demo.loaded.plan.exchange.transactions) {
    if (demo.loaded.plan.exchange.controllers[t.controller].name != "kiln") continue;
    const auto& said = kiln.table().at(row++);
    CHECK(said.at("name").text == t.name);
    CHECK(said.at("unit").number == (t.endpoint.unit ? t.endpoint.unit->value : 0));
    CHECK(said.at("function_code").number == number_of(t.function));
    CHECK(said.at("read_at").number == (t.read ? t.read->offset : 0));
    CHECK(said.at("read_count").number == (t.read ? t.read->quantity : 0));
    CHECK(said.at("write_at").number == (t.write ? t.write->offset : 0));
    CHECK(said.at("write_count").number == (t.write ? t.write->quantity : 0));
    CHECK(kiln.get("NO_" + capitals_of(t.name)).number == static_cast<long double>(row));
    const auto lies = [&](const std::string& what, const std::optional<model::MemoryRange>& at) {
      INFO(t.name << " " << what);
      const long double area = said.at(what + "_area").number;
      CHECK(
          area ==
          (at ? (demo.loaded.plan.plan.controllers[t.controller].memory[at->area].name == "%MW" ? 1
                                                                                                : 2)
              : 0));
      CHECK(said.at(what + "_first").number == (at ? at->number : 0));
      CHECK(said.at(what + "_bit").number == (at && at->bit ? static_cast<int>(*at->bit) : -1));
    };
    lies("into", t.into);
    lies("source", t.from);
    lies("gate", t.gate);
    lies("trigger", t.trigger.bit);
    const std::map<std::string, int> order_numbers{
        {"ABCD", 1}, {"CDAB", 2}, {"BADC", 3}, {"DCBA", 4}};
    CHECK(said.at("read_swap").number ==
          (t.read_swap ? order_numbers.at(std::string(to_string(*t.read_swap))) : 0));
    CHECK(said.at("park_after").number == (t.endpoint.park ? t.endpoint.park->after : 0));
    for (const model::Status& s : t.status) lies(std::string(to_string(s.kind)), s.range);
  }
  CHECK(row == kiln.table().size());

  CHECK(kiln.interval_ms() == 10.0L);
  CHECK(loadout.interval_ms() == 8.0L);

  // 17.4 % as the gauge sends it: low word first; there before it is answered, but not taken
  kiln.memory.words["%MW100"] = 0x3333;
  kiln.memory.words["%MW101"] = 0x418b;
  kiln.scan(0);
  CHECK(kiln.get("moisture.grain_moisture").number == 0);
  CHECK(kiln.get("requests[NO_MOISTURE_IN].valid").number == 0);
  answer(kiln, {"MOISTURE_IN"});
  kiln.scan(1);
  CHECK(kiln.get("moisture.grain_moisture").number == static_cast<long double>(17.4F));
  CHECK(kiln.get("requests[NO_MOISTURE_IN].valid").number == 1);
  CHECK(kiln.memory.words["%MW2002"] == 0);
  kiln.set("send_values", {"BOOL", 1, {}});
  kiln.set("others_set.to_loadout_state", {"WORD", 0xffff, {}});
  kiln.scan(2);
  // the copy of the plan
  CHECK(kiln.memory.words["%MW2002"] == 0x3333);
  CHECK(kiln.memory.words["%MW2003"] == 0x418b);
  CHECK(kiln.get("others.to_loadout_moisture").number == static_cast<long double>(17.4F));

  // a heartbeat: 1 s of the kiln, seen by the load-out for 2 s without a change
  int toggles = 0;
  bool last = false;
  for (int ms = 10; ms <= 3000; ms += 10) {
    kiln.scan(ms);
    const bool bit = (kiln.memory.words["%MW2000"] & 1) != 0;
    CHECK((kiln.memory.words["%MW2000"] | 1) == 0xffff);
    if (bit != last) {
      ++toggles;
      CHECK((ms - 2) % 1000 <= 10 * toggles);  // 1 s and at most a scan
      last = bit;
    }
    loadout.memory.words["%MW1"] = kiln.memory.words["%MW2000"];
    loadout.scan(ms);
    CHECK(loadout.get("kiln_alive_lost").number == 0);
  }
  CHECK(toggles == 2);  // at 1 s and 2 s
  for (int ms = 3010; ms <= 5000; ms += 10) loadout.scan(ms);
  CHECK(loadout.get("kiln_alive_lost").number == 1);
}

TEST_CASE("names that are words of the language, and texts that would end a comment or a string") {
  std::string plan = test::base_plan();
  plan = test::replaced(plan, "[slave.gauge]", "[slave.\"END_IF $ ' *) (* \xc3\xa4\"]");
  const test::Exported exported(test::load(plan + R"([exchange]
transactions = [ { name = "'; x := 1; (*", slave = "END_IF $ ' *) (* ä", fc = 3, at = 0, count = 2, into = "%MW0", every = "1s", on_loss = "alarm" } ]
)",
                                           test::base_files()));
  const std::string source = exported.program("kiln");
  IecMachine machine(source);
  machine.scan(0);
  REQUIRE(machine.table().size() == 1);
  CHECK(machine.table()[0].at("name").text == "'; x := 1; (*");
  CHECK(machine.table()[0].at("target").text == "END_IF $ ' *) (* \xc3\xa4");
}

TEST_CASE("what a system does where a real becomes a whole number changes no value") {
  const test::Exported exported = plan_of_types();
  const std::string source = exported.program("kiln");
  for (const bool cuts : {false, true}) {
    IecMachine machine(source);
    machine.cuts = cuts;
    const auto whole = [&](const std::string& function, const std::string& real, long double of) {
      return machine.call(function, {{real, of, {}}}).number;
    };
    // every raw value of a u16 with factor 0.1, as a REAL carries it
    for (int raw = 0; raw <= 65535; raw += raw < 3000 || raw > 60000 ? 1 : 7) {
      const float engineering = static_cast<float>(raw) * 0.1F;
      const float back = engineering / 0.1F;
      CHECK(whole("GM_REAL_UINT", "REAL", back) == raw);
    }
    for (const auto& [given, wanted] :
         std::vector<std::pair<double, double>>{{0.49, 0},
                                                {0.5, 1},
                                                {1.5, 2},
                                                {2.5, 3},
                                                {-0.5, -1},
                                                {-1.5, -2},
                                                {-2.4, -2},
                                                {-2.6, -3},
                                                {1e30, 2147483647.0},
                                                {-1e30, -2147483648.0}}) {
      CHECK(whole("GM_LREAL_DINT", "LREAL", given) == wanted);
    }
  }
}

TEST_CASE("no number reaches a device as another one, and what is infinite is limited") {
  const test::Exported exported = plan_of_types();
  IecMachine machine(exported.program("kiln"));
  machine.set("send_values", {"BOOL", 1, {}});
  std::map<std::string, int> at;
  for (const Placed& p : placed()) at[point_name(p.type, p.order)] = p.at + written_from;
  for (std::size_t t = 0; t < types.size(); ++t) {
    const bool real = types[t].variable == "REAL" || types[t].variable == "LREAL";
    if (!real) continue;
    const std::string name = fmt::format("p{}_ABCD", t);
    INFO(types[t].name << " " << name);
    const auto first = [&]() -> std::uint16_t& {
      return machine.memory.words[fmt::format("%MW{}", at.at(name))];
    };
    machine.set("gauge_set.w_" + name, {"#REAL", 1, {}});
    machine.scan(0);
    const auto before = machine.memory.words;
    machine.set("gauge_set.w_" + name,
                {"#REAL", std::numeric_limits<long double>::quiet_NaN(), {}});
    machine.scan(10);
    CHECK(machine.memory.words == before);
    machine.set("gauge_set.w_" + name, {"#REAL", std::numeric_limits<long double>::infinity(), {}});
    machine.scan(20);
    CHECK(machine.memory.words != before);
    if (types[t].name == "f32") CHECK(first() == 0x7F7F);
    if (types[t].name == "f64") CHECK(first() == 0x7FEF);
  }
}

TEST_CASE("a heartbeat keeps its mean period, whatever the scan") {
  const test::Exported beating(test::load(R"([controller.loadout]
scan = "8ms"
[controller.loadout.memory]
"%MW" = { kind = "word", first = 0, count = 20 }
[controller.kiln]
scan = "10ms"
[controller.kiln.memory]
"%MW" = { kind = "word", first = 0, count = 20 }
[supervision]
heartbeats = [ { name = "alive", from = "loadout", to = "kiln", bit = "%MW11.0", toggle = "500ms", watch = "2s", react = "3s" } ]
)"));
  const std::string source = beating.program("loadout");
  std::mt19937_64 random(3);
  for (const int scan : {7, 8, 13, 0}) {  // 0: 5 to 15 ms
    IecMachine machine(source);
    machine.set("send_values", {"BOOL", 1, {}});
    constexpr int length = 60'000;
    int toggles = 0;
    bool last = false;
    for (int ms = 0; ms <= length;) {
      machine.scan(ms);
      const bool bit = (machine.memory.words["%MW11"] & 1) != 0;
      toggles += bit != last ? 1 : 0;
      last = bit;
      ms += scan > 0 ? scan : 5 + static_cast<int>(random() % 11);
    }
    INFO(scan);
    CHECK(toggles >= 119);  // each half second
    CHECK(toggles <= 120);
  }
}

TEST_CASE("a real that its factor would make infinite is no number, and says so") {
  const test::Exported exported(
      test::load(R"([controller.plc]
scan = "10ms"
[controller.plc.memory]
"%MW" = { kind = "word", first = 0, count = 100 }
[slave.gauge]
host = "10.20.0.31"
map = "gauge.csv"
word_order = "ABCD"
numbering = "from-0"
[exchange]
transactions = [
  { name = "t", slave = "gauge", fc = 3, at = 0, count = 2, into = "%MW0", every = "1s", on_loss = "hold" },
]
)",
                 {{"gauge.csv", "point,area,address,type,factor\nflow,hr,0,f32,1000\n"}}));
  IecMachine machine(exported.program("plc"));
  answer(machine, {"T"});
  const auto read = [&](float value) {
    std::uint32_t bits = 0;
    std::memcpy(&bits, &value, sizeof bits);
    machine.memory.words["%MW0"] = static_cast<std::uint16_t>(bits >> 16U);
    machine.memory.words["%MW1"] = static_cast<std::uint16_t>(bits);
    machine.scan(0);
    return machine.get("gauge.flow").number;
  };
  const auto flagged = [&] { return machine.get("requests[NO_T].no_number").number != 0; };
  CHECK(read(1.5F) == 1500);
  CHECK_FALSE(flagged());
  CHECK(read(3e38F) == 1500);  // 3e41 is beyond REAL: the last value stays
  CHECK(flagged());
  CHECK(read(-3.5e35F) == 1500);
  CHECK(flagged());
  CHECK(read(3.4e35F) < 3.5e38L);
  CHECK_FALSE(flagged());
}
