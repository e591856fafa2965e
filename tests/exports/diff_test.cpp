// Differences between exchanges, and files held against a plan.
#include "exports/exchange_diff.h"

#include <fmt/format.h>
#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "archive.h"
#include "exported.h"
#include "exports/compare.h"
#include "plans.h"

using namespace greymet;
using Json = nlohmann::json;

namespace {

std::string golden(const std::string& name) {
  return files::disk_files()(std::string(GREYMET_SOURCE "/tests/golden/") + name, 1 << 20).value();
}

std::string document_of(const std::string& plan) {
  return files::exchange_json(test::load(plan, {{"gauge.csv", golden("gauge.csv")}}).plan);
}

// Lines of what differs once the text of the golden plan is changed.
std::vector<std::string> changed(const std::string& what, const std::string& with) {
  const std::string plan = golden("exchange.toml");
  const auto changes =
      exports::exchange_changes(document_of(plan), document_of(test::replaced(plan, what, with)));
  std::vector<std::string> out;
  for (const auto& c : changes.value()) out.push_back(to_text(c));
  return out;
}

using Lines = std::vector<std::string>;

}  // namespace

TEST_CASE("what changed is told in the words of the exchange") {
  CHECK(changed("count = 8, into = \"%MW100\", every = \"500ms\"",
                "count = 8, into = \"%MW100\", every = \"1s\"") ==
        Lines{"transaction in: period 500ms -> 1s"});
  CHECK(changed("baud = 19200", "baud = 38400") == Lines{"line north: baud 19200 -> 38400"});
  CHECK(changed("park = { after = 3", "park = { after = 4") ==
        Lines{"line north: park.after 3 -> 4"});
  CHECK(changed("on_loss = \"zero\"", "on_loss = \"hold\"") ==
        Lines{"transaction both: on_loss zero -> hold"});
  CHECK(changed("relays = true, ", "") == Lines{"transaction both: relays yes -> no"});
  CHECK(changed("name = \"shout\"", "name = \"call\"") ==
        Lines{"transaction shout: name shout -> call"});
  CHECK(changed("revision = \"1\"", "revision = \"2\"") == Lines{"plan: revision 1 -> 2"});
  CHECK(changed("  { name = \"init\", slave = \"gauge\", fc = 6, at = 4, from = \"%MW122\", on = "
                "\"start\" },\n",
                "") == Lines{"transaction init: removed (slave gauge, function 6)"});
  CHECK(changed("copies = [ { controller = \"kiln\", from = \"%MW100\"",
                "copies = [ { controller = \"kiln\", from = \"%MW101\"") ==
        Lines{"copy kiln %MW101 to %MW201: added (from %MW101, to %MW201)",
              "copy kiln %MW100 to %MW201: removed (from %MW100, to %MW201)"});
  CHECK(changed("[slave.plain]\nhost = \"10.20.0.32\"", "[slave.plain]\nhost = \"10.20.0.33\"") ==
        Lines{"slave plain: host 10.20.0.32 -> 10.20.0.33"});
}

TEST_CASE("another order of transactions is a difference") {
  const std::string plan = golden("exchange.toml");
  const std::size_t first = plan.find("  { name = \"restore\"");
  const std::size_t second = plan.find("  { name = \"init\"");
  const std::size_t end = plan.find("]\ncopies");
  const std::string swapped = plan.substr(0, first) + plan.substr(second, end - second) +
                              plan.substr(first, second - first) + plan.substr(end);
  const auto changes = exports::exchange_changes(document_of(plan), document_of(swapped)).value();
  REQUIRE(changes.size() == 1);
  CHECK(to_text(changes[0]) ==
        "exchange: order of each transaction restore, init -> init, restore");
}

TEST_CASE("two documents differ exactly where the differ finds something") {
  const Json base = Json::parse(document_of(golden("exchange.toml")));
  rc::prop("any one value, key or item changed, taken away or moved is found", [&] {
    Json other = base;
    // down to some value
    Json* at = &other["exchange"];
    while (at->is_structured() && !at->empty() &&
           (at == &other["exchange"] || *rc::gen::inRange(0, 6) != 0)) {
      const auto step = *rc::gen::inRange<std::size_t>(0, at->size());
      auto item = at->begin();
      std::advance(item, static_cast<std::ptrdiff_t>(step));
      at = &*item;
    }
    switch (*rc::gen::inRange(0, 4)) {
      case 0: *at = "another"; break;
      case 1: *at = nullptr; break;
      case 2:
        if (at->is_array() && at->size() > 1) std::swap((*at)[0], (*at)[at->size() - 1]);
        break;
      default:
        if (at->is_object() && !at->empty()) at->erase(at->begin());
        if (at->is_array() && !at->empty()) at->erase(at->size() - 1);
    }
    const auto changes = exports::exchange_changes(base.dump(), other.dump());
    RC_ASSERT(changes.has_value());
    RC_ASSERT(changes->empty() == (base == other));
    const auto none = exports::exchange_changes(other.dump(), other.dump());
    RC_ASSERT(none->empty());
  });
}

TEST_CASE("many transactions under other names, and names that stand there twice") {
  Json old = Json::parse(document_of(golden("exchange.toml")));
  const Json row = old["exchange"]["transactions"][0];
  Json& rows = old["exchange"]["transactions"];
  rows = Json::array();
  Json now = old;
#ifdef GREYMET_SANITIZED
  constexpr int count = 500;
#else
  constexpr int count = 20'000;
#endif
  for (int i = 0; i < count; ++i) {
    Json each = row;
    each["period_ns"] = i;
    each["name"] = fmt::format("was-{}", i);
    rows.push_back(each);
    each["name"] = fmt::format("is-{}", i);
    now["exchange"]["transactions"].push_back(each);
  }
  const auto changes = exports::exchange_changes(old.dump(), now.dump()).value();
  REQUIRE(changes.size() == count);
  CHECK(to_text(changes[7]) == "transaction was-7: name was-7 -> is-7");

  // the first of what is alike becomes the first
  rows = Json::array({row, row, row});
  for (std::size_t i = 0; i < 3; ++i) rows[i]["name"] = std::string(1, static_cast<char>('a' + i));
  now["exchange"]["transactions"] = rows;
  now["exchange"]["transactions"][0]["name"] = "x";
  now["exchange"]["transactions"][1]["name"] = "y";
  now["exchange"]["transactions"].erase(2);
  Lines lines;
  const auto three = exports::exchange_changes(old.dump(), now.dump()).value();
  for (const auto& c : three) {
    lines.push_back(to_text(c).substr(0, 35));
  }
  CHECK(lines == Lines{"transaction a: name a -> x", "transaction b: name b -> y",
                       "transaction c: removed (slave gauge"});

  // a name that is another's with its number
  const auto named = [&](const char* third) {
    Json document = old;
    Json& list = document["exchange"]["transactions"];
    for (Json& each : list) each["name"] = "in";
    list[2]["name"] = "in (2)";
    list[2]["on_loss"] = third;
    return document.dump();
  };
  const auto third = exports::exchange_changes(named("hold"), named("zero")).value();
  REQUIRE(third.size() == 1);
  CHECK(to_text(third[0]) == "transaction in (2) (2): on_loss hold -> zero");
}

TEST_CASE("what is no exchange is said to be none") {
  const std::string good = document_of(golden("exchange.toml"));
  for (const std::string bad : {"", "{", "[]", "{}", "{\"exchange\": 3}", "\xff\xfe"}) {
    CHECK(exports::exchange_changes(bad, good).error() == "is no exchange.json");
    CHECK(exports::exchange_changes(good, bad).error() == "is no exchange.json");
  }
}

TEST_CASE("a change and what it does to timing") {
  const std::string row =
      "{ name = \"in\", slave = \"gauge\", fc = 3, at = 0, count = 8, into = \"%MW0\", every = "
      "\"100ms\", on_loss = \"alarm\" }";
  const auto old = test::load(test::with_rows({row}), test::base_files());
  const auto now =
      test::load(test::with_rows({test::replaced(row, "100ms", "200ms")}), test::base_files());
  const auto timing =
      exports::timing_changes(timing::analyse_longest(old.plan), timing::analyse_longest(now.plan));
  REQUIRE(timing.size() == 2);
  CHECK(timing[0].subject == "line north");
  CHECK(std::get<double>(timing[0].old) == Approx(2 * std::get<double>(timing[0].now)));
  CHECK(timing[1].what == "interval bound");
  CHECK(std::get<double>(timing[1].now) - std::get<double>(timing[1].old) == Approx(100));
  CHECK(
      exports::timing_changes(timing::analyse_longest(old.plan), timing::analyse_longest(old.plan))
          .empty());
  const Json json =
      Json::parse(exports::diff_json({{"transaction", "in", "period", "100ms", "200ms"}}, timing));
  CHECK(json["changes"][0]["new"] == "200ms");
  CHECK(json["timing"][1]["what"] == "interval_bound_ms");
}

TEST_CASE("one byte changed in any file of a folder is found, and the file named") {
  const test::Exported golden_export(
      test::load(golden("exchange.toml"), {{"gauge.csv", golden("gauge.csv")}}));
  std::vector<exports::ExportedFile> all;
  for (const auto& each : exports::all_exports()) {
    for (auto& file : golden_export.files_of(each.name)) all.push_back(std::move(file));
  }
  std::map<std::string, std::string> folder;
  for (const auto& file : all) folder[file.name] = file.content;
  const auto reader = [](const std::map<std::string, std::string>& in) {
    return [&in](const std::string& name) -> std::optional<std::string> {
      const auto found = in.find(name);
      return found == in.end() ? std::nullopt : std::optional(found->second);
    };
  };
  for (const auto& file : exports::compare_files(all, reader(folder), {})) {
    CHECK(file.state == exports::FileState::same);
  }
  rc::prop("a byte changed", [&] {
    auto changed = folder;
    const auto& victim = all[*rc::gen::inRange<std::size_t>(0, all.size())];
    std::string& content = changed[victim.name];
    const auto at = *rc::gen::inRange<std::size_t>(0, content.size());
    content[at] = static_cast<char>(content[at] ^ *rc::gen::inRange(1, 255));
    for (const auto& file : exports::compare_files(all, reader(changed), {})) {
      RC_ASSERT((file.state == exports::FileState::same) == (file.name != victim.name));
    }
  });
  folder.erase("kiln.st");
  const auto compared = exports::compare_files(all, reader(folder), {"kiln.st", "old.st"});
  CHECK(std::count_if(compared.begin(), compared.end(),
                      [](const auto& f) { return f.state != exports::FileState::same; }) == 2);
  CHECK(compared.back().name == "old.st");
  CHECK(compared.back().state == exports::FileState::left_over);
}

TEST_CASE("a file changed by hand names the first line that differs") {
  const std::vector<exports::ExportedFile> expected{
      {"a.st", "one\nsha256:" + std::string(64, 'a') + "\nthree\n"}};
  const auto compared = exports::compare_files(
      expected,
      [](const std::string&) { return "one\nsha256:" + std::string(64, 'a') + "\nfour\n"; }, {});
  CHECK(compared[0].state == exports::FileState::changed);
  CHECK(compared[0].detail == "line 3: expected 'three', found 'four'");
  const auto other = exports::compare_files(
      expected,
      [](const std::string&) { return "one\nsha256:" + std::string(64, 'b') + "\nthree\n"; }, {});
  CHECK(other[0].state == exports::FileState::other_plan);
  CHECK(other[0].detail == "fingerprint sha256:" + std::string(64, 'b'));
}

TEST_CASE("line ends, and a workbook that another program has saved, are told from a change") {
  const test::Exported demo = test::exported_demo();
  const exports::ExportedFile text{"kiln.st", demo.file("st", "kiln.st")};
  const exports::ExportedFile book{"exchange.xlsx", demo.file("xlsx", "exchange.xlsx")};
  const auto state = [](const exports::ExportedFile& expected, const std::string& found) {
    return exports::compare_files({expected}, [&](const std::string&) { return found; }, {})
        .front();
  };
  std::string other_ends = "\xEF\xBB\xBF";
  for (const char c : text.content)
    other_ends += c == '\n' ? std::string("\r\n") : std::string(1, c);
  CHECK(state(text, other_ends).state == exports::FileState::line_ends);
  other_ends[other_ends.find("T#500ms") + 2] = '4';
  CHECK(state(text, other_ends).state == exports::FileState::changed);
  CHECK(state(text, "").detail == "is empty");
  const std::size_t some = text.content.find("END_VAR\n") + 8;
  CHECK(state(text, text.content.substr(0, some)).detail.starts_with("ends behind line "));

  // as another program writes it: its own order of parts, inline texts, no properties of ours
  const auto parts = test::unzipped(book.content);
  std::map<std::string, std::string> again;
  for (const auto& [name, part] : parts) {
    if (name != "docProps/core.xml") again[name] = part;
  }
  CHECK(state(book, test::zipped(again)).state == exports::FileState::saved_again);
  auto& sheet = again.at("xl/worksheets/sheet1.xml");
  const std::size_t number = sheet.find("<v>1", sheet.find("r=\"K2\""));
  REQUIRE(number != std::string::npos);
  sheet.insert(number + 4, "7");
  const auto changed = state(book, test::zipped(again));
  CHECK(changed.state == exports::FileState::changed);
  CHECK(changed.detail.starts_with("sheet transactions, "));
}
