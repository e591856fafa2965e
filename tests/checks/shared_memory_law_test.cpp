// Who may share memory: `check` and `memory` against a look at every pair, whose table of purposes
// is written here anew from the rules' text.
#include <set>

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "model/memory_report.h"
#include "plans.h"

using namespace greymet;

namespace {

enum class Does { reads, sends, relays, is_status, starts, lets, copies, beats };

struct Use {
  int owner;  // the row, or the copy, or the heartbeat
  Does does;
  int first, end;  // bits
  bool relays = false;
};

std::string words(int word) {
  return "\"%MW" + std::to_string(word) + "\"";
}
std::string bit(int word, int b) {
  return "\"%MW" + std::to_string(word) + "." + std::to_string(b) + "\"";
}

// Rules M01, M02, M06, M11 and M12 in words: what a read or copy fills is nobody else's to fill, to
// send (unless relayed), to toggle, to be started by (unless relayed) or to report in.
bool collide(const Use& a, const Use& b) {
  if (a.first >= b.end || b.first >= a.end) return false;
  const auto one_of = [](Does d, std::initializer_list<Does> list) {
    return std::find(list.begin(), list.end(), d) != list.end();
  };
  const auto one_way = [&](const Use& x, const Use& y) {
    if (x.does == Does::is_status) return true;
    const bool may_command = y.relays && one_of(y.does, {Does::starts, Does::lets});
    if (x.does == Does::reads) {
      if (y.does == Does::reads) return x.owner != y.owner;
      return !may_command &&
             one_of(y.does, {Does::sends, Does::starts, Does::lets, Does::copies, Does::beats});
    }
    if (x.does == Does::copies) {
      return !may_command && one_of(y.does, {Does::starts, Does::lets, Does::beats});
    }
    return x.does == Does::beats && y.does == Does::beats && x.owner != y.owner;
  };
  return one_way(a, b) || one_way(b, a);
}

struct Drawn {
  std::string plan;
  std::vector<Use> uses;
};

Drawn draw() {
  Drawn out;
  std::vector<std::string> rows;
  const int count = *rc::gen::inRange(1, 6);
  const auto place = [] { return *rc::gen::inRange(0, 10); };
  int slave_register = 0;
  for (int i = 0; i < count; ++i) {
    const std::string name = "{ name = \"t" + std::to_string(i) + "\", slave = \"pump\", ";
    const int at = place();
    const int many = *rc::gen::inRange(1, 4);
    const bool read = *rc::gen::arbitrary<bool>();
    const bool relays = !read && *rc::gen::arbitrary<bool>();
    std::string row = name;
    if (read) {
      row += "fc = 3, at = 0, count = " + std::to_string(many) + ", into = " + words(at);
      out.uses.push_back({i, Does::reads, at * 16, (at + many) * 16});
    } else {
      row += "fc = 16, at = " + std::to_string(slave_register) +
             ", count = " + std::to_string(many) + ", from = " + words(at);
      slave_register += many;
      if (relays) row += ", relays = true";
      out.uses.push_back({i, relays ? Does::relays : Does::sends, at * 16, (at + many) * 16});
    }
    if (!read && *rc::gen::inRange(0, 3) == 0) {
      const int word = place();
      row += ", on = " + bit(word, 3) + ", min_gap = \"1s\"";
      out.uses.push_back({i, Does::starts, word * 16 + 3, word * 16 + 4, relays});
    } else {
      row += ", every = \"1s\"";
      if (!read && *rc::gen::inRange(0, 3) == 0) {
        const int word = place();
        row += ", only_if = " + bit(word, 5);
        out.uses.push_back({i, Does::lets, word * 16 + 5, word * 16 + 6, relays});
      }
    }
    if (*rc::gen::inRange(0, 3) == 0) {
      const int word = place();
      const int b = *rc::gen::element(3, 5, 7);
      row += ", status = { done = " + bit(word, b) + " }";
      out.uses.push_back({i, Does::is_status, word * 16 + b, word * 16 + b + 1});
    }
    rows.push_back(row + " }");
  }
  out.plan = test::with_rows(rows);
  if (*rc::gen::arbitrary<bool>()) {
    const int to = place();
    out.plan += "copies = [ { controller = \"kiln\", from = \"%MW900\", to = " + words(to) +
                ", count = 1 } ]\n";
    out.uses.push_back({0, Does::copies, to * 16, to * 16 + 16});
  }
  const int beats = *rc::gen::inRange(0, 3);
  if (beats > 0) out.plan += "[controller.boss]\nscan = \"10ms\"\n[supervision]\nheartbeats = [\n";
  for (int i = 0; i < beats; ++i) {
    const int word = place();
    out.plan += "{ name = \"h" + std::to_string(i) + "\", from = \"kiln\", bit = " + bit(word, 9) +
                ", toggle = \"1s\", to = \"boss\", watch = \"9s\", react = \"19s\" },\n";
    out.uses.push_back({i, Does::beats, word * 16 + 9, word * 16 + 10});
  }
  if (beats > 0) out.plan += "]\n";
  return out;
}

}  // namespace

TEST_CASE("may these uses share memory: check and memory against every pair") {
  rc::prop("both name a conflict exactly where the table has one", [] {
    const Drawn drawn = draw();
    bool expected = false;
    for (const Use& a : drawn.uses) {
      for (const Use& b : drawn.uses) {
        // one row's status in its own data, or its own bit in its own words, counts as well
        if (&a != &b && collide(a, b)) expected = true;
      }
    }
    const auto loaded = test::load(drawn.plan, test::base_files());
    bool named = false;
    for (const std::string& f : test::findings_of(drawn.plan, {}, "M01,M02,M06,M11,M12")) {
      named =
          named || f.find("M11") == std::string::npos || f.find("copies onto") != std::string::npos;
    }
    const auto report = model::memory_report(loaded.plan);
    const auto& stores = report.controllers.at(0).stores;
    const bool shown = std::any_of(stores.begin(), stores.end(),
                                   [](const auto& store) { return !store.clashes.empty(); });
    RC_LOG() << drawn.plan;
    RC_ASSERT(named == expected);
    RC_ASSERT(shown == expected);
  });
}

TEST_CASE("M02 and M04: one that is meant hides none that is not") {
  // a relaying write that reaches further, then one that does not relay
  const auto read = [](const std::string& rest) {
    return "{ name = \"in\", slave = \"gauge\", fc = 3, at = 0, count = 2, into = \"%MW4\", " +
           rest + " }";
  };
  const auto write = [](const std::string& name, const std::string& rest) {
    return "{ name = \"" + name + "\", slave = \"gauge\", fc = 16, " + rest + " }";
  };
  const std::string plan = test::with_rows(
      {read("every = \"1s\""),
       write("relay", R"(at = 0, count = 8, from = "%MW0", every = "1s", relays = true)"),
       write("plain", R"(at = 10, count = 5, from = "%MW1", every = "1s")")});
  const auto m02 = test::findings_of_rule("M02", plan);
  REQUIRE(m02.size() == 1);
  CHECK(m02[0].find("which transaction plain sends") != std::string::npos);

  // what restores is pardoned; the two cyclic writers of the same words are not
  const std::string restored =
      test::with_rows({write("back", R"(at = 10, count = 4, from = "%MW0", on = "return")"),
                       write("c", R"(at = 10, count = 4, from = "%MW0", every = "1s")"),
                       write("d", R"(at = 10, count = 4, from = "%MW0", every = "2s")")});
  const auto m04 = test::findings_of_rule("M04", restored);
  REQUIRE(m04.size() == 1);
  CHECK(m04[0].find("transaction d: writes") != std::string::npos);
  CHECK(m04[0].find("which transaction c writes as well") != std::string::npos);
}

TEST_CASE("V05: an overlap behind any number of aliases") {
  for (const int aliases : {1, 15, 16, 17, 300}) {
    std::string tags = "tag,address,type\nbig,%MW500,LWORD\n";
    for (int i = 0; i < aliases; ++i) {
      tags += "alias" + std::to_string(i) + ",%MW" + std::to_string(500 + i % 4) + ",WORD\n";
    }
    tags += "bad,%MW502,REAL\n";
    auto files = test::base_files();
    files["tags.csv"] = tags;
    const std::string plan =
        test::replaced(test::with_rows({"{ name = \"in\", slave = \"gauge\", fc = 3, at = 0, count "
                                        "= 8, into = \"%MW0\", every = \"1s\" }"}),
                       "[controller.kiln]\n", "[controller.kiln]\ntags = \"tags.csv\"\n");
    INFO(aliases);
    std::vector<std::string> found = test::findings_of_rule("V05", plan, files);
    REQUIRE(found.size() >= 1);
    CHECK(found.back().find("tag kiln.bad: REAL") != std::string::npos);
  }
}
