// Family A, "what verdicts rest on": whatever default is replaced by another value, every verdict
// that moves had named it. The plans leave optional facts out at random; the value is written into
// the plan's text, so that nothing of the search is asked.
#include <cstdlib>
#include <optional>
#include <set>

#include <fmt/format.h>
#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "plans.h"

using namespace greymet;

namespace {

struct Fact {
  std::string owner;  // "line", "slave", "air"
  std::string key;
  std::string stated;  // one way to state it
};

const std::vector<Fact> facts{
    {"line", "timeout", "\"300ms\""},
    {"line", "retries", "1"},
    {"line", "latency", R"({ typical = "1ms", max = "3ms" })"},
    {"line", "character_gap", "0.5"},
    {"line", "pause", "\"4ms\""},
    {"slave", "reply", R"({ typical = "5ms", max = "20ms" })"},
    {"slave", "scans", "\"10ms\""},
    {"slave", "pause", "\"6ms\""},
    {"air", "timeout", "\"500ms\""},
    {"air", "rtt", R"({ typical = "2ms", max = "9ms" })"},
    {"air", "reply", R"({ typical = "5ms", max = "20ms" })"},
};

struct Draft {
  std::set<std::size_t> stated;  // of `facts`
  std::string rows;
  std::string park;

  [[nodiscard]] std::string keys(const std::string& owner, std::optional<std::size_t> instead,
                                 const std::string& value) const {
    std::string text;
    for (std::size_t i = 0; i < facts.size(); ++i) {
      if (facts[i].owner != owner) continue;
      if (instead == i) text += facts[i].key + " = " + value + "\n";
      if (instead != i && stated.contains(i)) text += facts[i].key + " = " + facts[i].stated + "\n";
    }
    return text;
  }
  // The plan; with another value for one fact.
  [[nodiscard]] std::string text(std::optional<std::size_t> instead = {},
                                 const std::string& value = {}) const {
    std::string plan =
        "[controller.kiln]\nscan = \"10ms\"\nsends = "
        "\"anytime\"\n[controller.kiln.memory]\n\"%MW\" "
        "= { kind = \"word\", count = 1000 }\n[line.north]\nmaster = \"kiln\"\nmode = "
        "\"rtu\"\nbaud = 19200\nformat = \"8E1\"\norder = \"due\"\n";
    plan += park + keys("line", instead, value);
    for (const char* const name : {"a", "b"}) {
      plan += fmt::format("[slave.{}]\nline = \"north\"\nunit = {}\n", name, name[0] - 'a' + 1) +
              keys("slave", instead, value);
    }
    plan += "[slave.air]\nhost = \"10.20.0.30\"\n" + keys("air", instead, value);
    return plan + "[exchange]\ntransactions = [\n" + rows + "]\n";
  }
};

Draft any_draft() {
  Draft draft;
  for (std::size_t i = 0; i < facts.size(); ++i) {
    if (*rc::gen::inRange(0, 3) == 0) draft.stated.insert(i);
  }
  const auto every = [] {
    return *rc::gen::element<std::string>("200ms", "500ms", "1s", "2s", "5s");
  };
  for (const char* const slave : {"a", "b", "air"}) {
    const auto count = *rc::gen::inRange(1, 4);
    for (int i = 0; i < count; ++i) {
      draft.rows += fmt::format(
          "{{ name = \"{0}{1}\", slave = \"{0}\", fc = 3, at = {1}, count = {2}, into = "
          "\"%MW{3}\", every "
          "= \"{4}\", on_loss = \"hold\" }},\n",
          slave, i, *rc::gen::inRange(1, 60), (slave[0] + slave[1]) % 7 * 140 + i * 60, every());
    }
  }
  if (*rc::gen::arbitrary<bool>()) draft.park = "park = { after = 2, retry = \"20s\" }\n";
  return draft;
}

// Errors and warnings of the rules of time.
std::set<std::string> verdicts_of(const std::string& plan) {
  std::set<std::string> out;
  for (const std::string& f : test::findings_of(plan, {}, "T,H,V08,N06")) {
    // "warning T04 7:1 line north: ..."
    const std::size_t end = f.find(": ");
    const std::size_t rule = f.find(' ');
    const std::size_t place = f.find(' ', rule + 1);
    const std::size_t subject = f.find(' ', place + 1);
    if (f.starts_with("note")) continue;
    const std::string code = f.substr(rule + 1, place - rule - 1);
    if (code == "T06") continue;
    out.insert(f.substr(0, place) + " of " + f.substr(subject + 1, end - subject - 1));
  }
  return out;
}

// The numbers that a note of family A names behind "above" and "below".
std::vector<double> limits_behind(const std::string& note, const std::string& word) {
  std::vector<double> limits;
  for (std::size_t at = note.find(word + " "); at != std::string::npos;
       at = note.find(word + " ", at + 1)) {
    limits.push_back(std::strtod(note.c_str() + at + word.size() + 1, nullptr));
  }
  return limits;
}

}  // namespace

TEST_CASE("whatever default is replaced, every verdict that moves had named it") {
  rc::prop("one fact of a random plan, stated otherwise", [] {
    Draft draft = any_draft();
    const std::size_t fact = *rc::gen::inRange<std::size_t>(0, facts.size());
    draft.stated.erase(fact);
    const std::string& key = facts[fact].key;
    const bool tcp = facts[fact].owner == "air";
    std::string value;
    double number = 0;
    double assumed = 0;
    const auto tenths = [&](int from, int to) {
      number = *rc::gen::inRange(from * 10, to * 10 + 1) / 10.0;
      return fmt::format("\"{}us\"", static_cast<long>(number * 1000 + 0.5));
    };
    if (key == "timeout") {
      value = tenths(50, 5000);
      assumed = tcp ? 1000 : 500;
    } else if (key == "retries") {
      number = *rc::gen::inRange(0, 4);
      value = std::to_string(static_cast<int>(number));
      assumed = 1;
    } else if (key == "character_gap") {
      number = *rc::gen::inRange(0, 151) / 100.0;
      value = fmt::format("{:.2f}", number);
    } else if (key == "pause") {
      value = tenths(0, 20);
    } else if (key == "scans") {
      value = tenths(0, 50);
    } else {
      const std::string most = key == "reply" ? tenths(0, 500)
                               : key == "rtt" ? tenths(0, 200)
                                              : tenths(0, 20);
      assumed = key == "reply" ? 50 : key == "rtt" ? 5 : 0;
      const double typical = std::min(number, key == "reply" ? 10.0 : key == "rtt" ? 1.0 : 0.0);
      value = fmt::format("{{ typical = \"{}us\", max = {} }}",
                          static_cast<long>(typical * 1000 + 0.5), most);
    }
    const std::string before = draft.text();
    const std::string after = draft.text(fact, value);
    const auto was = verdicts_of(before);
    const auto is = verdicts_of(after);
    if (was == is) return;
    // the notes of that fact
    const std::string subject = tcp ? "exchange" : "line north";
    const std::string words = key == "reply"     ? "the reply time of"
                              : key == "rtt"     ? "the round trip of"
                              : key == "scans"   ? "the time between two looks at its port of"
                              : key == "latency" ? "the latency of the port is"
                              : key == "timeout" ? (tcp ? "the timeout of" : "the timeout is")
                              : key == "retries" ? "the number of retries is"
                              : key == "pause"
                                  ? (facts[fact].owner == "line" ? "the pause of the line is"
                                                                 : "the pause behind a request of")
                                  : "the silence inside a frame is";
    bool named = false;
    for (const std::string& f : test::findings_of(before, {}, "A")) {
      if (f.find(" " + subject + ": assumed: " + words) == std::string::npos) continue;
      for (const double limit : limits_behind(f, "above")) named = named || number >= limit;
      for (const double limit : limits_behind(f, "below")) named = named || number <= limit;
    }
    RC_LOG() << before << "\n" << key << " = " << value << " assumed " << assumed << "\n";
    for (const auto& v : was) RC_LOG() << "was " << v << "\n";
    for (const auto& v : is) RC_LOG() << "is " << v << "\n";
    for (const std::string& f : test::findings_of(before, {}, "A")) RC_LOG() << f << "\n";
    RC_ASSERT(named);
  });
}
