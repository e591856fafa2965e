// Wants that write: no register that was not wanted, each value whole, in as few requests as can
// be.
#include <fmt/format.h>
#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include <map>
#include <set>

#include "packing/pack.h"
#include "plans.h"

using namespace greymet;

namespace {

const std::string writing_plant = R"([controller.kiln]
scan = "10ms"
[controller.kiln.memory]
"%MW" = { kind = "word", first = 0, count = 4000 }
"%MX" = { kind = "bit", first = 0, count = 2000 }
[line.north]
master = "kiln"
mode = "rtu"
baud = 115200
format = "8E1"
[slave.fan]
line = "north"
unit = 1
map = "fan.csv"
word_order = "ABCD"
)";

struct WrittenRow {
  int first = 0;
  int length = 1;
  std::set<int> functions;  // that write it; empty: the map says nothing
  bool wanted = false;
};

struct WriteCase {
  std::vector<WrittenRow> rows;
  int most = 123;
  std::set<int> implements;  // empty: not stated
};

rc::Gen<WriteCase> cases() {
  return rc::gen::exec([] {
    WriteCase c;
    int at = *rc::gen::inRange(0, 5);
    const int rows = *rc::gen::inRange(1, 12);
    for (int i = 0; i < rows; ++i) {
      WrittenRow row;
      row.first = at;
      row.length = *rc::gen::element(1, 1, 2);
      if (*rc::gen::inRange(0, 4) == 0) row.functions = {16};
      if (row.length == 1 && *rc::gen::inRange(0, 4) == 0) row.functions = {6};
      row.wanted = *rc::gen::inRange(0, 4) != 3;
      at += row.length + (*rc::gen::inRange(0, 4) == 0 ? 1 : 0);
      c.rows.push_back(row);
    }
    c.most = *rc::gen::element(2, 3, 5, 123);
    if (*rc::gen::inRange(0, 3) == 0) c.implements = {3, 6, 16};
    if (*rc::gen::inRange(0, 5) == 0) c.implements = {3, 16};
    return c;
  });
}

std::string map_of(const WriteCase& c) {
  std::string csv = "point,area,address,type,access,write_fc\n";
  for (std::size_t i = 0; i < c.rows.size(); ++i) {
    csv += fmt::format("p{},hr,{},{},rw,{}\n", i, c.rows[i].first,
                       c.rows[i].length == 1 ? "u16" : "u32", fmt::join(c.rows[i].functions, " "));
  }
  return csv;
}

std::string plan_of(const WriteCase& c, const std::string& when) {
  std::string plan = writing_plant + fmt::format("max_write = {}\n", c.most);
  if (!c.implements.empty()) {
    plan += fmt::format("functions = [{}]\n", fmt::join(c.implements, ", "));
  }
  std::vector<std::string> wanted;
  for (std::size_t i = 0; i < c.rows.size(); ++i) {
    if (c.rows[i].wanted) wanted.push_back(fmt::format("\"p{}\"", i));
  }
  return plan + fmt::format(
                    "[exchange]\nwants = [ {{ slave = \"fan\", points = [{}], {}, from = "
                    "\"%MW500\" }} ]\n",
                    fmt::join(wanted, ", "), when);
}

bool may(const WriteCase& c, const WrittenRow& row, int function) {
  if (function == 6 && row.length > 1) return false;
  if (!row.functions.empty() && row.functions.count(function) == 0) return false;
  return c.implements.empty() || c.implements.count(function) > 0;
}

// Every way of cutting the wanted rows into requests, slowly: the least number of them.
std::optional<int> fewest(const WriteCase& c) {
  std::vector<WrittenRow> rows;
  for (const WrittenRow& row : c.rows) {
    if (row.wanted) rows.push_back(row);
  }
  std::vector<std::optional<int>> best(rows.size() + 1);
  best[0] = 0;
  for (std::size_t end = 1; end <= rows.size(); ++end) {
    for (std::size_t begin = 0; begin < end; ++begin) {
      bool side_by_side = true;
      bool all_several = true;
      for (std::size_t i = begin; i < end; ++i) {
        all_several = all_several && may(c, rows[i], 16);
        if (i > begin) {
          side_by_side = side_by_side && rows[i].first == rows[i - 1].first + rows[i - 1].length;
        }
      }
      const int registers = rows[end - 1].first + rows[end - 1].length - rows[begin].first;
      const bool single = end - begin == 1 && may(c, rows[begin], 6);
      const bool fits = registers <= c.most && side_by_side && (all_several || single);
      if (!fits || !best[begin]) continue;
      if (!best[end] || *best[begin] + 1 < *best[end]) best[end] = *best[begin] + 1;
    }
  }
  return best.back();
}

std::vector<std::string> rows_for(const std::string& want, const std::string& map) {
  const files::LoadedPlan loaded =
      test::load(writing_plant + "[exchange]\nwants = [ " + want + " ]\n", {{"fan.csv", map}});
  std::vector<std::string> out;
  for (const auto& f : loaded.findings) out.push_back(f.message);
  const auto result = packing::pack(loaded.plan);
  for (const auto& p : result.problems) out.push_back(p.message);
  for (const auto& r : result.requests) {
    const auto& t = r.declared;
    out.push_back(fmt::format(
        "{} fc {} at {} count {} from {}{}{}{}", t.name, t.function->value, t.block.at->value.text,
        t.block.count->value, t.from ? t.from->value : "nowhere", t.on ? " on " + t.on->value : "",
        t.only_if ? " if " + t.only_if->value : "", t.packing ? " packed" : ""));
  }
  return out;
}

const std::string small_map =
    "point,area,address,type,access,bit,write_fc\nstatus,hr,0,u16,r,,\ncommand,hr,10,u16,rw,,6\n"
    "setpoint,hr,11,u16,rw,,\nramp,hr,12,u32,rw,,16\nsame,hr,13,u16,rw,,\nflag,hr,20,bool,rw,3,\n"
    "run,co,3,bool,rw,,\nfast,co,4,bool,rw,,\n";

}  // namespace

TEST_CASE("what is written is what was wanted, each value whole, in the fewest requests") {
  rc::prop("against every way of cutting them", [] {
    const WriteCase c = *cases();
    const std::optional<int> least = fewest(c);
    RC_PRE(std::any_of(c.rows.begin(), c.rows.end(), [](const WrittenRow& r) { return r.wanted; }));
    const files::LoadedPlan loaded =
        test::load(plan_of(c, "every = \"1s\""), {{"fan.csv", map_of(c)}});
    RC_ASSERT(loaded.findings.empty());
    const auto result = packing::pack(loaded.plan);
    RC_ASSERT(result.problems.empty() == least.has_value());
    if (!least) return;
    RC_ASSERT(result.requests.size() == static_cast<std::size_t>(*least));
    std::map<int, int> writes;  // of each register
    std::set<int> memory;
    for (const auto& r : result.requests) {
      const int function = static_cast<int>(r.declared.function->value);
      const int first = r.at.offset.value;
      const int end = first + static_cast<int>(r.quantity);
      RC_ASSERT(end - first <= c.most);
      RC_ASSERT(function == 16 || end - first == 1);
      for (int at = first; at < end; ++at) ++writes[at];
      for (const WrittenRow& row : c.rows) {
        const bool touched = row.first < end && row.first + row.length > first;
        if (!touched) continue;
        RC_ASSERT(row.wanted);
        RC_ASSERT(first <= row.first);
        RC_ASSERT(row.first + row.length <= end);
        RC_ASSERT(may(c, row, function));
      }
      // no word of memory goes to two registers
      const int from = std::stoi(r.declared.from->value.substr(3));
      for (int word = from; word < from + end - first; ++word) {
        RC_ASSERT(memory.insert(word).second);
      }
    }
    std::map<int, int> wanted;
    for (const WrittenRow& row : c.rows) {
      for (int at = row.first; row.wanted && at < row.first + row.length; ++at) wanted[at] = 1;
    }
    RC_ASSERT(writes == wanted);
  });
}

TEST_CASE("a want that writes may come with a bit, a change, a gate, and from bits or words") {
  using WriteTexts = std::vector<std::string>;
  CHECK(
      rows_for(
          R"({ slave = "fan", points = ["command", "setpoint", "ramp"], every = "1s", from = "%MW100" })",
          small_map) == WriteTexts{"fan-set-command fc 6 at 10 count 1 from %MW100",
                                   "fan-set-setpoint fc 16 at 11 count 3 from %MW101"});
  CHECK(
      rows_for(
          R"({ slave = "fan", points = ["setpoint"], on = "%MX7", min_gap = "1s", only_if = "%MX8", from = "%MW" })",
          small_map) ==
      WriteTexts{"fan-set-setpoint fc 6 at 11 count 1 from %MW0 on %MX7 if %MX8"});
  CHECK(
      rows_for(
          R"({ slave = "fan", points = ["run", "fast"], on = "change", min_gap = "1s", from = "%MX40" })",
          small_map) == WriteTexts{"fan-set-run fc 15 at 3 count 2 from %MX40 on change"});
  CHECK(rows_for(R"({ slave = "fan", points = ["run", "fast"], on = "start", from = "%MW40" })",
                 small_map) ==
        WriteTexts{"fan-set-run fc 15 at 3 count 2 from %MW40 on start packed"});
}

TEST_CASE("what cannot be written, or would write more, is refused") {
  using WriteTexts = std::vector<std::string>;
  const auto want = [](const std::string& points, const std::string& more) {
    return "{ slave = \"fan\", points = [" + points + "], from = \"%MW100\", " + more + " }";
  };
  CHECK(rows_for(want("\"status\"", "every = \"1s\""), small_map) ==
        WriteTexts{"'status' of slave fan cannot be written"});
  CHECK(rows_for(want("\"flag\"", "every = \"1s\""), small_map) ==
        WriteTexts{"'flag' is bit 3 of hr:20: a request would write the other 15 too"});
  CHECK(rows_for(want("\"ramp\", \"same\"", "every = \"1s\""), small_map).front() ==
        "'ramp' and 'same' share hr:13: the last one written would count");
  CHECK(rows_for(want("\"setpoint\"", "on = \"%MX1\""), small_map) ==
        WriteTexts{"nothing says how often `on = \"%MX1\"` may come"});
  CHECK(rows_for(want("\"setpoint\"", "every = \"1s\", into = \"%MW1\""), small_map).front() ==
        "`into` is where what is read goes, and `from` what is written");
  CHECK(rows_for("{ slave = \"fan\", points = [\"status\"], every = \"1s\", into = \"%MW1\", on = "
                 "\"%MX1\" }",
                 small_map)
            .front() == "`on` belongs to a want that writes");
  CHECK(rows_for(want("\"setpoint\"", "every = \"1s\""),
                 "point,area,address,type,write_fc\nsetpoint,hr,11,u32,6\n") ==
        WriteTexts{"no function writes 'setpoint': it takes 6, 2 registers at once, and slave fan "
                   "implements all"});
}

TEST_CASE("a map says which functions write a point, and F18 holds requests against it") {
  const auto map_error = [](const std::string& area, const std::string& cells) {
    const files::LoadedPlan loaded = test::load(
        writing_plant, {{"fan.csv", "point,area,address,type,read_fc,write_fc\np," + area + ",1," +
                                        (area == "co" ? "bool," : "u16,") + cells + "\n"}});
    if (loaded.findings.empty()) return std::string();
    return loaded.findings.front().message + " | " + loaded.findings.front().remedy;
  };
  CHECK(map_error("hr", "3,6").empty());
  CHECK(map_error("hr", "3,\"6, 16\"").empty());
  CHECK(map_error("co", "1,5").empty());
  CHECK(map_error("hr", "4,6") ==
        "row 2: read_fc '4' is not valid | write 3: it reads holding registers");
  CHECK(map_error("hr", ",5") ==
        "row 2: write_fc '5' is not valid | write 6, 16, 22 or 23, or several of them");
  CHECK(map_error("ir", ",6") ==
        "row 2: write_fc '6' is not valid | write nothing: this area can only be read");
  const auto f18 = [](const std::string& row) {
    return test::findings_of_rule("F18",
                                  writing_plant + "[exchange]\ntransactions = [ " + row + " ]\n",
                                  {{"fan.csv", small_map}});
  };
  CHECK(f18(R"({ name = "a", slave = "fan", fc = 6, at = "command", from = "%MW0", every = "1s" })")
            .empty());
  CHECK(
      f18(R"({ name = "a", slave = "fan", fc = 16, at = "command", count = 1, from = "%MW0", every = "1s" })") ==
      std::vector<std::string>{"error transaction a: 'command' is written with function 6, by its "
                               "map; this is function 16 | write fc = 6"});
  CHECK(
      f18(R"({ name = "a", slave = "fan", fc = 16, at = "command", count = 2, from = "%MW0", every = "1s" })") ==
      std::vector<std::string>{"error transaction a: 'command' is written with function 6, by its "
                               "map; this is function 16 | write 'command' with a request of its "
                               "own"});
}
