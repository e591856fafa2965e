// What the exported programs promise to whoever keeps them: one variable for each word, nothing
// sent before its time, values that are told from zeros, names that stay, the same program as XML.
#include <cmath>
#include <cstring>
#include <random>
#include <set>

#include <fmt/format.h>
#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>
#include <pugixml.hpp>

#include "exported.h"
#include "iec_interpreter.h"
#include "model/fingerprint_word.h"
#include "plans.h"

using namespace greymet;
using test::IecMachine;

namespace iec_programs {

const test::IecValue yes{"BOOL", 1, {}};
const test::IecValue no{"BOOL", 0, {}};

test::Exported exported_clean(const std::string& plan, const test::Files& files) {
  test::Exported exported(test::load(plan, files));
  for (const auto& f : exported.loaded.findings) FAIL(f.message);
  return exported;
}

// ------------------------------------------------------------------ random windows of one map

struct RandomPoint {
  std::string name;
  std::string type;
  int words = 1;
  int at = 0;
  std::string order;  // of its own; empty: that of the slave
};

struct Window {
  int slave = 0;
  int first = 0;
  int count = 0;
  int memory = 0;
  [[nodiscard]] bool holds(const RandomPoint& p) const {
    return p.at >= first && p.at + p.words <= first + count;
  }
};

struct RandomSite {
  std::vector<RandomPoint> points;
  std::vector<std::string> slave_orders;
  std::vector<Window> reads;
  std::vector<Window> writes;
  std::string swap;  // of all reads; empty: none
};

int words_of_type(const std::string& type) {
  if (type == "u16" || type == "i16" || type == "bits") return 1;
  return type.ends_with("64") ? 4 : 2;
}

RandomSite random_site(std::mt19937& random) {
  const auto upto = [&](int n) { return static_cast<int>(random() % static_cast<unsigned>(n)); };
  const std::vector<std::string> types{"u16", "i16", "bits", "u32", "i32",
                                       "f32", "u64", "i64",  "f64"};
  const std::vector<std::string> orders{"ABCD", "CDAB", "BADC", "DCBA"};
  RandomSite site;
  int at = upto(5);
  const int count = 3 + upto(10);
  for (int i = 0; i < count; ++i) {
    RandomPoint p{fmt::format("p{}", i), types[static_cast<std::size_t>(upto(9))], 1, at, {}};
    p.words = words_of_type(p.type);
    if (upto(3) == 0) p.order = orders[static_cast<std::size_t>(upto(4))];
    at += p.words + (upto(4) == 0 ? upto(3) : 0);
    site.points.push_back(p);
  }
  for (int s = 0; s < 2; ++s) {
    site.slave_orders.push_back(orders[static_cast<std::size_t>(upto(4))]);
  }
  if (upto(3) == 0) site.swap = orders[static_cast<std::size_t>(upto(4))];
  int memory = upto(3);
  const auto windows = [&](std::vector<Window>& out) {
    for (int i = 0; i < 1 + upto(3); ++i) {
      const int first = upto(at);
      const Window w{upto(2), first, 1 + upto(at - first), memory};
      memory += w.count + upto(3);
      out.push_back(w);
    }
  };
  windows(site.reads);
  windows(site.writes);
  return site;
}

std::pair<std::string, test::Files> texts_of(const RandomSite& site, bool direct) {
  const std::string area = direct ? "%MW" : "D";
  std::string map = "point,area,address,type,word_order,access\n";
  for (const RandomPoint& p : site.points) {
    map += fmt::format("{},hr,{},{},{},rw\n", p.name, p.at, p.type, p.order);
  }
  std::string plan = fmt::format(
      "[controller.plc]\nscan = \"10ms\"\nword_order = \"BADC\"\n[controller.plc.memory]\n"
      "\"{}\" = {{ kind = \"word\", count = 2000 }}\n",
      area);
  for (std::size_t s = 0; s < site.slave_orders.size(); ++s) {
    plan += fmt::format(
        "[slave.s{}]\nhost = \"10.20.0.{}\"\nmap = \"m.csv\"\nword_order = \"{}\"\n"
        "numbering = \"from-0\"\n",
        s, 31 + s, site.slave_orders[s]);
  }
  plan += "[exchange]\ntransactions = [\n";
  for (std::size_t i = 0; i < site.reads.size(); ++i) {
    const Window& w = site.reads[i];
    plan += fmt::format(
        "{{ name = \"in{}\", slave = \"s{}\", fc = 3, at = {}, count = {}, into = \"{}{}\", "
        "every = \"1s\", on_loss = \"hold\"{} }},\n",
        i, w.slave, w.first, w.count, area, w.memory,
        site.swap.empty() ? "" : fmt::format(", swap = \"{}\"", site.swap));
  }
  for (std::size_t i = 0; i < site.writes.size(); ++i) {
    const Window& w = site.writes[i];
    plan += fmt::format(
        "{{ name = \"out{}\", slave = \"s{}\", fc = 16, at = {}, count = {}, from = \"{}{}\", "
        "every = \"1s\" }},\n",
        i, w.slave, w.first, w.count, area, w.memory);
  }
  return {plan + "]\n", {{"m.csv", map}}};
}

// The words in which a value of so many bits stands, by the letters of the order: A is the most
// significant byte of a pair of words; longer values go on in the same way.
std::vector<std::uint16_t> in_words(std::uint64_t bits, int count, const std::string& order) {
  std::vector<std::uint16_t> words;
  for (int i = count - 1; i >= 0; --i) {
    auto word = static_cast<std::uint16_t>(bits >> (16 * i));
    if (count > 1 && (order == "BADC" || order == "DCBA")) {
      word = static_cast<std::uint16_t>(word << 8 | word >> 8);
    }
    words.push_back(word);
  }
  if (order == "CDAB" || order == "DCBA") words = {words.rbegin(), words.rend()};
  return words;
}

// A value of the type, as bits and as the number that they are.
std::pair<std::uint64_t, test::IecValue> random_value(const std::string& type,
                                                      std::mt19937& random) {
  const std::uint64_t r = std::uint64_t{random()} << 32 | random();
  const auto number = [](const char* kind, long double n) { return test::IecValue{kind, n, {}}; };
  if (type == "u16") return {r & 0xffff, number("UINT", static_cast<long double>(r & 0xffff))};
  if (type == "bits") return {r & 0xffff, number("WORD", static_cast<long double>(r & 0xffff))};
  if (type == "i16") return {r & 0xffff, number("INT", static_cast<std::int16_t>(r))};
  if (type == "u32") {
    return {r & 0xffffffff, number("UDINT", static_cast<long double>(r & 0xffffffff))};
  }
  if (type == "i32") return {r & 0xffffffff, number("DINT", static_cast<std::int32_t>(r))};
  if (type == "u64") return {r, number("ULINT", static_cast<long double>(r))};
  if (type == "i64") {
    return {r, number("LINT", static_cast<long double>(static_cast<std::int64_t>(r)))};
  }
  if (type == "f32") {
    const auto value = static_cast<float>(static_cast<int>(r % 2000000) - 1000000) / 64.0F;
    std::uint32_t bits = 0;
    std::memcpy(&bits, &value, sizeof bits);
    return {bits, number("REAL", static_cast<long double>(value))};
  }
  const double value = static_cast<double>(static_cast<std::int64_t>(r >> 20)) / 1024.0;
  std::uint64_t bits = 0;
  std::memcpy(&bits, &value, sizeof bits);
  return {bits, number("LREAL", static_cast<long double>(value))};
}

class WindowCase {
 public:
  WindowCase(const RandomSite& site, bool direct, std::mt19937& random)
      : site_(site), direct_(direct), random_(random) {}

  void play() {
    const auto [plan, files] = texts_of(site_, direct_);
    INFO(plan << files.at("m.csv"));
    const test::Exported exported = exported_clean(plan, files);
    IecMachine machine(exported.program("plc"));
    read_back(machine);
    send(machine);
  }

 private:
  // Words that no variable stands for are nobody's.
  [[nodiscard]] bool has_word(IecMachine& machine, int at) const {
    if (direct_) return true;
    try {
      (void)machine.get(fmt::format("mem_D[{}]", at));
      return true;
    } catch (const std::runtime_error&) {
      return false;
    }
  }
  void put(IecMachine& machine, int at, std::uint16_t word) const {
    if (direct_) {
      machine.memory.words[fmt::format("%MW{}", at)] = word;
    } else {
      machine.set(fmt::format("mem_D[{}]", at), {"WORD", static_cast<long double>(word), {}});
    }
  }
  [[nodiscard]] std::uint16_t look(IecMachine& machine, int at) const {
    if (direct_) return machine.memory.words[fmt::format("%MW{}", at)];
    return static_cast<std::uint16_t>(machine.get(fmt::format("mem_D[{}]", at)).number);
  }
  [[nodiscard]] const std::string& order_of(const RandomPoint& p, int slave) const {
    return p.order.empty() ? site_.slave_orders[static_cast<std::size_t>(slave)] : p.order;
  }

  void read_back(IecMachine& machine) {
    std::map<std::pair<int, std::string>, test::IecValue> expected;
    for (std::size_t i = 0; i < site_.reads.size(); ++i) {
      const Window& w = site_.reads[i];
      machine.set(fmt::format("requests[NO_IN{}].good", i), yes);
      for (const RandomPoint& p : site_.points) {
        if (!w.holds(p)) continue;
        const auto [bits, value] = random_value(p.type, random_);
        const std::string& order = site_.swap.empty() ? order_of(p, w.slave) : site_.swap;
        const auto words = in_words(bits, p.words, p.words > 1 ? order : "ABCD");
        for (int k = 0; k < p.words; ++k) {
          put(machine, w.memory + p.at - w.first + k, words[static_cast<std::size_t>(k)]);
        }
        expected[{w.slave, p.name}] = value;
      }
    }
    machine.scan(0);
    for (const auto& [where, value] : expected) {
      const std::string name = fmt::format("s{}.{}", where.first, where.second);
      INFO(name);
      const test::IecValue got = machine.get(name);
      CHECK(got.type == value.type);
      CHECK(got.number == value.number);
    }
  }

  void send(IecMachine& machine) {
    std::map<int, std::uint16_t> wanted;
    for (const Window& w : site_.writes) {
      for (int k = 0; k < w.count; ++k) {
        if (!has_word(machine, w.memory + k)) continue;
        const auto before = static_cast<std::uint16_t>(random_());
        put(machine, w.memory + k, before);
        wanted[w.memory + k] = before;
      }
    }
    std::map<std::pair<int, std::string>, std::pair<std::uint64_t, test::IecValue>> values;
    for (const Window& w : site_.writes) {
      for (const RandomPoint& p : site_.points) {
        if (!w.holds(p)) continue;
        const auto [known, is_new] =
            values.try_emplace({w.slave, p.name}, random_value(p.type, random_));
        if (is_new) machine.set(fmt::format("s{}_set.{}", w.slave, p.name), known->second.second);
        const auto words =
            in_words(known->second.first, p.words, p.words > 1 ? order_of(p, w.slave) : "ABCD");
        for (int k = 0; k < p.words; ++k) {
          wanted[w.memory + p.at - w.first + k] = words[static_cast<std::size_t>(k)];
        }
      }
    }
    if (values.empty()) return;
    machine.set("send_values", yes);
    machine.scan(10);
    for (const auto& [at, word] : wanted) {
      INFO("word " << at);
      CHECK(look(machine, at) == word);
    }
  }

  const RandomSite& site_;
  bool direct_;
  std::mt19937& random_;
};

TEST_CASE("any windows of one map, of two slaves with orders of their own: every value arrives") {
  std::mt19937 random(11);
  for (int i = 0; i < 60; ++i) {
    INFO("case " << i);
    const RandomSite site = random_site(random);
    WindowCase(site, i % 3 != 0, random).play();
  }
}

// ------------------------------------------------------------------ memory

const std::string plc_without_addresses = R"([controller.plc]
scan = "10ms"
word_order = "CDAB"
[controller.plc.memory]
"D" = { kind = "word", first = 0, count = 200 }
"X" = { kind = "bit", first = 0, count = 100 }
[controller.peer]
scan = "10ms"
[controller.peer.memory]
"D" = { kind = "word", first = 0, count = 200 }
[slave.gauge]
host = "10.20.0.31"
map = "gauge.csv"
word_order = "CDAB"
numbering = "from-0"
[slave.pump]
host = "10.20.0.32"
map = "pump.csv"
numbering = "from-0"
[exchange]
transactions = [
  { name = "in", controller = "plc", slave = "gauge", fc = 3, at = 0, count = 2, into = "D10", every = "1s", on_loss = "zero", status = { failed = "X0", done = "X1" } },
  { name = "cmd", controller = "plc", slave = "pump", fc = 16, at = 5, count = 2, from = "D52", every = "1s", only_if = "X7" },
  { name = "coils", controller = "plc", slave = "pump", fc = 15, at = 0, count = 2, from = "D90", packing = "words-to-bits", every = "1s" },
]
copies = [ { controller = "plc", from = "D10", to = "D60", count = 2 } ]
[supervision]
heartbeats = [ { name = "alive", from = "plc", to = "peer", bit = "D52.3", toggle = "500ms", watch = "2s", react = "1s" } ]
)";
const test::Files maps_without_addresses{
    {"gauge.csv", "point,area,address,type\ntemp,hr,0,f32\n"},
    {"pump.csv",
     "point,area,address,type,bit,access\nrun,hr,5,bool,0,rw\ndir,hr,5,bool,1,rw\n"
     "speed,hr,6,u16,,rw\nopen,co,0,bool,,rw\nshut,co,1,bool,,rw\n"}};

TEST_CASE(
    "memory without direct addresses is one variable for each word, for all that lies in it") {
  const test::Exported exported = exported_clean(plc_without_addresses, maps_without_addresses);
  const std::string text = exported.program("plc");
  CHECK(text.find(" AT ") == std::string::npos);
  CHECK(text.find("which has no direct address") != std::string::npos);
  CHECK(text.find("areas of memory in `transactions`: 1 D, 2 X *)") != std::string::npos);
  IecMachine plc(text);
  const auto word = [&](int at) {
    return static_cast<unsigned>(plc.get(fmt::format("mem_D[{}]", at)).number);
  };
  const auto put = [&](int at, unsigned value) {
    plc.set(fmt::format("mem_D[{}]", at), {"WORD", static_cast<long double>(value), {}});
  };
  plc.scan(0);
  put(10, 0);
  put(11, 0x41C8);  // 25.0, the low word first
  plc.set("mem_X[1]", yes);
  plc.set("send_values", yes);
  plc.set("pump_set.run", yes);
  plc.set("pump_set.dir", yes);
  plc.set("pump_set.speed", {"UINT", 1234, {}});
  plc.set("pump_set.shut", yes);
  put(52, 0x8000);  // what nobody of the program means stays
  plc.scan(10);
  CHECK(plc.get("gauge.temp").number == 25);
  CHECK(word(60) == 0);
  CHECK(word(61) == 0x41C8);
  CHECK(word(52) == 0x8003);
  CHECK(word(53) == 1234);
  CHECK(word(90) == 2);
  // the heartbeat beats in the same word
  for (int ms = 20; ms <= 520; ms += 10) plc.scan(ms);
  CHECK(word(52) == 0x800B);
  plc.set("pump_set.dir", no);
  plc.scan(530);
  CHECK(word(52) == 0x8009);
}

TEST_CASE(
    "registers that lie in single bits are words again; what has no known order stays as it is") {
  const test::Exported exported(test::load(R"([controller.plc]
scan = "10ms"
[controller.plc.memory]
"%MX" = { kind = "bit", first = 0, count = 200 }
"%MW" = { kind = "word", first = 0, count = 100 }
[slave.drive]
host = "10.20.0.31"
map = "drive.csv"
numbering = "from-0"
[exchange]
transactions = [
  { name = "t", slave = "drive", fc = 3, at = 0, count = 2, into = "%MX0", packing = "words-to-bits", every = "1s", on_loss = "hold" },
  { name = "u", slave = "drive", fc = 3, at = 10, count = 3, into = "%MW0", every = "1s", on_loss = "hold" },
]
)",
                                           {{"drive.csv",
                                             "point,area,address,type\nfirst,hr,0,u16\nsecond,hr,1,"
                                             "u16\nlong,hr,10,u32\nplain,hr,12,u16\n"}}));
  IecMachine plc(exported.program("plc"));
  plc.set("requests[NO_T].good", yes);
  plc.set("requests[NO_U].good", yes);
  for (const int bit : {0, 15, 17, 20}) plc.memory.bits[fmt::format("%MX{}", bit)] = true;
  for (const int word : {0, 1, 2}) plc.memory.words[fmt::format("%MW{}", word)] = 7;
  for (int ms = 0; ms < 50; ms += 10) {
    plc.scan(ms);
    CHECK(plc.get("drive.first").number == 0x8001);
    CHECK(plc.get("drive.second").number == 0x0012);
  }
  CHECK(plc.get("drive.plain").number == 7);
  CHECK(plc.get("drive.long").number == 0);  // left out, and said to be
  CHECK(exported.file("st", "plc.st")
            .find("left out: drive.long at %MW0..%MW1: the plan states no "
                  "word order") != std::string::npos);
}

TEST_CASE("a word of bits that is sent leaves alone the heartbeat that beats in it") {
  const test::Exported exported = exported_clean(R"([controller.plc]
scan = "10ms"
[controller.plc.memory]
"%MW" = { kind = "word", first = 0, count = 100 }
[controller.peer]
scan = "10ms"
[controller.peer.memory]
"%MW" = { kind = "word", first = 0, count = 100 }
[slave.drive]
host = "10.20.0.31"
map = "drive.csv"
numbering = "from-0"
[exchange]
transactions = [
  { name = "cmd", controller = "plc", slave = "drive", fc = 16, at = 0, count = 2, from = "%MW5", every = "1s" },
]
[supervision]
heartbeats = [ { name = "alive", from = "plc", to = "peer", bit = "%MW5.9", toggle = "500ms", watch = "2s", react = "3s" } ]
)",
                                                 {{"drive.csv",
                                                   "point,area,address,type,access\ncontrol,hr,0,"
                                                   "bits,rw\nspeed,hr,1,u16,rw\n"}});
  IecMachine plc(exported.program("plc"));
  plc.set("send_values", yes);
  plc.set("drive_set.control", {"WORD", 0x0003, {}});
  plc.set("drive_set.speed", {"UINT", 77, {}});
  int beats = 0;
  bool last = false;
  for (int ms = 0; ms <= 3000; ms += 10) {
    plc.scan(ms);
    const unsigned word = plc.memory.words["%MW5"];
    CHECK((word & 0xFDFFU) == 3);
    const bool bit = (word & 0x0200U) != 0;
    beats += bit != last ? 1 : 0;
    last = bit;
    CHECK(plc.memory.words["%MW6"] == 77);
  }
  CHECK(beats == 6);
  plc.set("drive_set.control", {"WORD", 0xFFFF, {}});
  plc.scan(3010);
  CHECK(plc.memory.words["%MW5"] == (last ? 0xFFFF : 0xFDFF));
}

TEST_CASE(
    "what a request is known to have brought: new, good, valid, its age, and zero when lost") {
  const test::Exported exported = exported_clean(plc_without_addresses, maps_without_addresses);
  IecMachine plc(exported.program("plc"));
  const auto truth = [&](const std::string& member) {
    return plc.get("requests[NO_IN]." + member).number != 0;
  };
  plc.set("mem_D[11]", {"WORD", 0x41C8, {}});
  plc.scan(0);
  CHECK_FALSE(truth("good"));  // nothing has come yet, whatever stands in memory
  CHECK_FALSE(truth("valid"));
  CHECK(plc.get("gauge.temp").number == 0);
  plc.set("mem_X[1]", yes);  // done
  plc.set("mem_D[11]", {"WORD", 0x41C8, {}});
  plc.scan(10);
  CHECK(truth("good"));
  CHECK(truth("new_values"));
  CHECK(truth("valid"));
  CHECK(plc.get("gauge.temp").number == 25);
  plc.scan(15);
  CHECK_FALSE(truth("new_values"));  // once a reply, however long its bit stands
  CHECK(truth("good"));
  plc.set("mem_X[1]", no);
  plc.scan(20);
  CHECK_FALSE(truth("new_values"));
  CHECK(truth("good"));
  for (int ms = 30; ms <= 1020; ms += 10) plc.scan(ms);
  CHECK(plc.get("requests[NO_IN].age").number == 1005);  // since the scan at 15 ms
  plc.set("mem_X[0]", yes);                              // failed
  plc.scan(1030);
  CHECK_FALSE(truth("good"));
  CHECK(truth("valid"));  // there were values once
  CHECK(plc.get("gauge.temp").number == 0);
  CHECK(plc.get("mem_D[11]").number == 0);  // nor is the old value passed on
  plc.set("mem_X[0]", no);
  plc.scan(1040);
  CHECK_FALSE(truth("good"));  // until a reply has come
  plc.set("mem_D[11]", {"WORD", 0x4248, {}});
  plc.set("mem_X[1]", yes);
  plc.scan(1050);
  CHECK(plc.get("gauge.temp").number == 50);
  // the gate is opened by the program, as no tag stands there
  CHECK_FALSE(plc.get("requests[NO_CMD].may_send").number != 0);
  plc.set("send_values", yes);
  plc.scan(1060);
  CHECK_FALSE(plc.get("requests[NO_CMD].may_send").number != 0);
  plc.set("requests[NO_CMD].open", yes);
  plc.scan(1070);
  CHECK(plc.get("mem_X[7]").number == 1);
  CHECK(plc.get("requests[NO_CMD].may_send").number == 1);
}

TEST_CASE("a slave is good where none of its requests is without a good reply") {
  const test::Exported exported = exported_clean(plc_without_addresses, maps_without_addresses);
  IecMachine plc(exported.program("plc"));
  const auto good = [&] { return plc.get("gauge_good").number != 0; };
  plc.scan(0);
  CHECK_FALSE(good());       // nothing has come yet
  plc.set("mem_X[1]", yes);  // done
  plc.scan(10);
  CHECK(good());  // the command's gate is closed: nobody waits for it
  plc.set("mem_X[1]", no);
  plc.set("mem_X[0]", yes);  // failed
  plc.scan(20);
  CHECK_FALSE(good());
}

TEST_CASE("before values may be sent nothing is put into memory: no value, no copy, no heartbeat") {
  const test::Exported demo = test::exported_demo();
  for (const std::string controller : {"kiln", "loadout"}) {
    IecMachine machine(demo.program(controller));
    std::vector<std::string> writes;
    for (const auto& t : demo.loaded.plan.exchange.transactions) {
      if (demo.loaded.plan.exchange.controllers[t.controller].name != controller) continue;
      std::string number = t.name;
      for (char& c : number) c = c == '-' ? '_' : static_cast<char>(std::toupper(c));
      machine.set("requests[NO_" + number + "].good", yes);
      if (t.write) writes.push_back(number);
    }
    // something everywhere, so that whatever is copied is seen
    machine.scan(0);
    unsigned n = 0;
    for (auto& [at, word] : machine.memory.words) word = static_cast<std::uint16_t>(++n * 40503U);
    const auto words = machine.memory.words;
    const auto bits = machine.memory.bits;
    for (int ms = 100; ms < 5000; ms += 100) machine.scan(ms);
    for (const auto& [at, word] : words) {
      INFO(controller << " " << at);
      CHECK(machine.memory.words.at(at) == word);
    }
    for (const auto& [at, bit] : bits) CHECK(machine.memory.bits.at(at) == bit);
    for (const std::string& each : writes) {
      INFO(each);
      CHECK(machine.get("requests[NO_" + each + "].may_send").number == 0);
    }
    machine.set("send_values", yes);
    for (int ms = 5000; ms < 7000; ms += 100) machine.scan(ms);
    CHECK(machine.memory.words != words);
  }
}

TEST_CASE("constants of the plan are put into memory by the program, named by a map or not") {
  const std::string plan = R"([controller.plc]
scan = "10ms"
[controller.plc.memory]
"%MW" = { kind = "word", first = 0, count = 100 }
"%MX" = { kind = "bit", first = 0, count = 100 }
[slave.gauge]
host = "10.20.0.31"
map = "gauge.csv"
word_order = "CDAB"
numbering = "from-0"
[slave.pump]
host = "10.20.0.32"
numbering = "from-0"
[exchange]
transactions = [
  { name = "set", slave = "gauge", fc = 16, at = 0, count = 4, from = "%MW10", every = "1s", value = { flow = 12.5, ready = 1 } },
  { name = "speed", slave = "pump", fc = 6, at = 9, from = "%MW20", every = "1s", value = 7 },
  { name = "run", slave = "pump", fc = 5, at = 3, from = "%MX9", every = "1s", value = true },
]
)";
  const test::Exported exported(test::load(
      plan, {{"gauge.csv",
              "point,area,address,type,bit,access\nflow,hr,0,f32,,rw\nready,hr,2,bool,4,rw\n"
              "spare,hr,2,bool,5,rw\nother,hr,3,u16,,rw\n"}}));
  for (const auto& f : exported.loaded.findings) FAIL(f.message);
  IecMachine machine(exported.program("plc"));
  machine.scan(0);
  CHECK(machine.memory.words["%MW20"] == 0);
  machine.set("send_values", yes);
  machine.set("gauge_set.spare", yes);
  machine.set("gauge_set.other", {"UINT", 99, {}});
  machine.scan(10);
  CHECK(machine.memory.words["%MW10"] == 0x0000);  // 12.5 is 41480000h
  CHECK(machine.memory.words["%MW11"] == 0x4148);
  CHECK(machine.memory.words["%MW12"] == 0x0030);
  CHECK(machine.memory.words["%MW13"] == 99);
  CHECK(machine.memory.words["%MW20"] == 7);
  CHECK(machine.memory.bits["%MX9"]);
  CHECK_THROWS(machine.get("gauge_set.flow.none"));
}

TEST_CASE("the program tells its fingerprint from the first scan on, whatever may be sent") {
  const std::string plan = R"([controller.plc]
scan = "10ms"
fingerprint = "%MW90"
[controller.plc.memory]
"%MW" = { kind = "word", first = 0, count = 100, serves = "hr:0" }
[slave.pump]
host = "10.20.0.32"
[exchange]
transactions = [
  { name = "state", slave = "pump", fc = 3, at = 9, count = 1, into = "%MW20", every = "1s", on_loss = "hold" },
]
)";
  const test::Exported exported(test::load(plan));
  for (const auto& f : exported.loaded.findings) FAIL(f.message);
  IecMachine machine(exported.program("plc"));
  machine.scan(0);
  const std::string digits = files::fingerprint_of(exported.loaded.plan).substr(7, 4);
  CHECK(machine.memory.words["%MW90"] == std::stoul(digits, nullptr, 16));
}

TEST_CASE("the word of a fingerprint is its first four digits that are not all 0") {
  CHECK(model::fingerprint_word_of("sha256:1a2bffff") == 0x1A2B);
  CHECK(model::fingerprint_word_of("sha256:0000ab12") == 0xAB12);
  CHECK(model::fingerprint_word_of("sha256:00000000") == 1);
  CHECK(model::fingerprint_word_of("") == 1);
}

// ------------------------------------------------------------------ units and names

std::string without_blanks(const std::string& text) {
  std::string out;
  for (std::size_t i = 0; i < text.size(); ++i) {
    if (text.compare(i, 2, "(*") == 0) {
      i = text.find("*)", i) + 1;
    } else if (std::isspace(static_cast<unsigned char>(text[i])) == 0) {
      out += text[i];
    }
  }
  return out;
}

// Declarations and program units without comments and blanks, by their first words.
std::set<std::string> units_of(const std::string& text) {
  std::set<std::string> out;
  std::string rest = without_blanks(text);
  const std::vector<std::string> ends{"END_TYPE", "END_FUNCTION_BLOCK", "END_FUNCTION",
                                      "END_PROGRAM", "END_CONFIGURATION"};
  while (!rest.empty()) {
    std::size_t end = std::string::npos;
    for (const std::string& each : ends) {
      const std::size_t at = rest.find(each);
      if (at != std::string::npos) end = std::min(end, at + each.size());
    }
    if (rest.compare(end, 6, "_BLOCK") == 0) end += 6;
    REQUIRE(end <= rest.size());
    out.insert(rest.substr(0, end));
    rest.erase(0, end);
  }
  return out;
}

// ------------------------------------------------------------------ PLCopen XML back to text

std::string type_text(const pugi::xml_node& type) {
  const pugi::xml_node what = type.first_child();
  const std::string name = what.name();
  if (name == "array") {
    const pugi::xml_node d = what.child("dimension");
    return fmt::format("ARRAY [{}..{}] OF {}", d.attribute("lower").value(),
                       d.attribute("upper").value(), type_text(what.child("baseType")));
  }
  if (name == "string") return fmt::format("STRING[{}]", what.attribute("length").value());
  return name == "derived" ? what.attribute("name").value() : name;
}

std::string variables_text(const pugi::xml_node& vars) {
  std::string text;
  for (const pugi::xml_node v : vars.children("variable")) {
    const std::string at = v.attribute("address").value();
    text += fmt::format("{}{} : {}", v.attribute("name").value(), at.empty() ? "" : " AT " + at,
                        type_text(v.child("type")));
    if (const pugi::xml_node initial = v.child("initialValue")) {
      text += " := ";
      if (const pugi::xml_node simple = initial.child("simpleValue")) {
        text += simple.attribute("value").value();
      } else {
        std::string rows;
        for (const pugi::xml_node row : initial.child("arrayValue").children("value")) {
          std::string members;
          for (const pugi::xml_node m : row.child("structValue").children("value")) {
            members += fmt::format("{}{} := {}", members.empty() ? "" : ", ",
                                   m.attribute("member").value(),
                                   m.child("simpleValue").attribute("value").value());
          }
          rows += (rows.empty() ? "(" : ",(") + members + ")";
        }
        text += "[" + rows + "]";
      }
    }
    text += ";\n";
  }
  return text;
}

std::string sections_text(const pugi::xml_node& parent) {
  const std::map<std::string, std::string> keywords{
      {"inputVars", "VAR_INPUT"},       {"outputVars", "VAR_OUTPUT"}, {"inOutVars", "VAR_IN_OUT"},
      {"externalVars", "VAR_EXTERNAL"}, {"localVars", "VAR"},         {"globalVars", "VAR_GLOBAL"}};
  std::string text;
  for (const pugi::xml_node vars : parent.children()) {
    const auto keyword = keywords.find(vars.name());
    if (keyword == keywords.end()) continue;
    text += keyword->second;
    if (vars.attribute("constant").as_bool()) text += " CONSTANT";
    text += "\n" + variables_text(vars) + "END_VAR\n";
  }
  return text;
}

std::string text_of_xml(const std::string& xml) {
  pugi::xml_document document;
  REQUIRE(document.load_string(xml.c_str()));
  const pugi::xml_node project = document.document_element();
  std::string text;
  for (const pugi::xml_node type : project.child("types").child("dataTypes").children("dataType")) {
    text +=
        fmt::format("TYPE {} :\nSTRUCT\n{}END_STRUCT;\nEND_TYPE\n", type.attribute("name").value(),
                    variables_text(type.child("baseType").child("struct")));
  }
  for (const pugi::xml_node pou : project.child("types").child("pous").children("pou")) {
    const std::string kind = pou.attribute("pouType").value();
    const std::string keyword = kind == "function"        ? "FUNCTION"
                                : kind == "functionBlock" ? "FUNCTION_BLOCK"
                                                          : "PROGRAM";
    const pugi::xml_node interface = pou.child("interface");
    text += fmt::format("{} {}", keyword, pou.attribute("name").value());
    if (const pugi::xml_node returns = interface.child("returnType")) {
      text += " : " + type_text(returns);
    }
    text += "\n" + sections_text(interface) +
            pou.child("body").child("ST").child("xhtml:p").text().get() + "END_" + keyword + "\n";
  }
  const pugi::xml_node c =
      project.child("instances").child("configurations").child("configuration");
  const pugi::xml_node resource = c.child("resource");
  const pugi::xml_node task = resource.child("task");
  const pugi::xml_node instance = task.child("pouInstance");
  return text + fmt::format(
                    "CONFIGURATION {}\n{}RESOURCE {} ON PLC\nTASK {}(INTERVAL := {}, PRIORITY := "
                    "{});\nPROGRAM {} WITH {} : {};\nEND_RESOURCE\nEND_CONFIGURATION\n",
                    c.attribute("name").value(), sections_text(c),
                    resource.attribute("name").value(), task.attribute("name").value(),
                    task.attribute("interval").value(), task.attribute("priority").value(),
                    instance.attribute("name").value(), task.attribute("name").value(),
                    instance.attribute("typeName").value());
}

TEST_CASE("the program of the XML file is that of the text, unit for unit") {
  const test::Exported demo = test::exported_demo();
  for (const std::string controller : {"kiln", "loadout"}) {
    const std::string back = text_of_xml(demo.file("plcopen", controller + ".plcopen.xml"));
    const std::set<std::string> all = units_of(demo.program(controller));
    const std::set<std::string> from_xml = units_of(back);
    for (const std::string& unit : from_xml) {
      INFO(unit.substr(0, 60));
      CHECK(all.contains(unit));
    }
    for (const std::string& unit : units_of(demo.file("st", controller + ".st"))) {
      INFO(unit.substr(0, 60));
      CHECK(from_xml.contains(unit));
    }
    IecMachine machine(back);  // complete in itself
    machine.scan(0);
  }
}

std::string own_part(const test::Exported& exported, const std::string& file) {
  std::string text = exported.file("st", file);
  const std::string mark = exported.input().fingerprint;
  for (std::size_t at = 0; (at = text.find(mark, at)) != std::string::npos;) {
    text.erase(at, mark.size());
  }
  return text;
}

TEST_CASE(
    "a point more in a map changes the structure and the block of that map, and nothing else") {
  const test::Exported demo = test::exported_demo();
  files::FileSource source = files::disk_files();
  const auto read = source.read;
  source.read = [read](const std::string& path, std::size_t limit) {
    auto text = read(path, limit);
    // words that are read anyway, of two slaves
    if (text && path.ends_with("drive.csv")) *text += "again\thr\t110\tu16\t\t\t\t\tr\n";
    return text;
  };
  const test::Exported more(files::load_plan(GREYMET_EXAMPLES "/maltings.toml", source));
  REQUIRE(more.input().fingerprint != demo.input().fingerprint);
  const std::set<std::string> before = units_of(demo.file("st", "maps.st"));
  const std::set<std::string> after = units_of(more.file("st", "maps.st"));
  std::vector<std::string> changed;
  for (const std::string& unit : after) {
    if (!before.contains(unit)) changed.push_back(unit.substr(0, 33));
  }
  REQUIRE(changed.size() == 2);
  CHECK(changed[0].starts_with("FUNCTION_BLOCKDRIVE_HR_READ"));
  CHECK(changed[1].starts_with("TYPEDRIVE_VALUES"));
  for (const char* file : {"library.st", "kiln.st", "loadout.st"}) {
    INFO(file);
    CHECK(own_part(more, file) == own_part(demo, file));
  }
}

TEST_CASE("names stay when a write of a point that was only read joins the plan") {
  const auto plan = [](const std::string& more) {
    return R"([controller.plc]
scan = "10ms"
[controller.plc.memory]
"%MW" = { kind = "word", first = 0, count = 100 }
[slave.gauge]
host = "10.20.0.31"
map = "gauge.csv"
numbering = "from-0"
[exchange]
transactions = [
)" + more +
           R"(  { name = "in", slave = "gauge", fc = 3, at = 0, count = 1, into = "%MW10", every = "1s", on_loss = "hold" },
]
)";
  };
  const test::Files files{{"gauge.csv", "point,area,address,type,access\nfar,hr,0,u16,rw\n"}};
  const test::Exported reads(test::load(plan(""), files));
  const test::Exported both(test::load(
      plan(R"(  { name = "out", slave = "gauge", fc = 6, at = 0, from = "%MW20", every = "1s" },
)"),
      files));
  for (const test::Exported* each : {&reads, &both}) {
    IecMachine machine(each->program("plc"));
    machine.memory.words["%MW10"] = 5;
    machine.set("requests[NO_IN].good", yes);
    if (machine.has("gauge_set")) machine.set("gauge_set.far", {"UINT", 77, {}});
    machine.scan(0);
    CHECK(machine.get("gauge.far").number == 5);
  }
}

}  // namespace iec_programs
