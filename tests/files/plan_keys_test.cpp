// The table of keys: what the reader asks for.
#include "files/plan_keys.h"

#include <set>

#include <catch2/catch.hpp>

#include "files/plan_schema.h"
#include "plans.h"

using namespace greymet;
using files::KeyKind;

TEST_CASE("the table of keys has every table of the format, and what may stand there") {
  std::set<std::string> paths;
  for (const files::PlanTable& table : files::plan_tables()) {
    CHECK(paths.insert(table.path).second);
    std::set<std::string> names;
    for (const files::PlanKey& key : table.keys) {
      INFO(table.path << " " << key.name);
      CHECK(names.insert(key.name).second);
      CHECK_FALSE(key.forms.empty());
    }
  }
  for (const char* path : {"",
                           "plan",
                           "controller.*",
                           "controller.*.memory.*",
                           "controller.*.answers",
                           "line.*",
                           "line.*.park",
                           "line.*.latency",
                           "gateway.*",
                           "gateway.*.delay",
                           "slave.*",
                           "slave.*.settings",
                           "slave.*.reply",
                           "exchange",
                           "exchange.transactions",
                           "exchange.transactions.read",
                           "exchange.transactions.write",
                           "exchange.transactions.status",
                           "exchange.copies",
                           "exchange.wants",
                           "supervision",
                           "supervision.heartbeats",
                           "supervision.paths",
                           "review",
                           "review.accepts",
                           "model"}) {
    INFO(path);
    CHECK(paths.contains(path));
  }
  const auto key = [](const char* path, const char* name) {
    const files::PlanTable* table = files::plan_table(path);
    REQUIRE(table != nullptr);
    REQUIRE(table->find(name) != nullptr);
    return *table->find(name);
  };
  CHECK(key("line.*", "mode").forms.front().words == std::vector<std::string>{"rtu", "ascii"});
  CHECK(key("line.*", "mode").required);
  CHECK(key("line.*", "baud").forms.front().least == 50);
  CHECK(key("line.*", "baud").forms.front().most == 20'000'000);
  CHECK_FALSE(key("line.*", "timeout").required);
  CHECK(key("line.*", "timeout").forms.front().kind == KeyKind::duration);
  CHECK(key("slave.*", "word_order").forms.front().words.size() == 4);
  CHECK(key("slave.*", "like").forms.front().kind == KeyKind::text);
  CHECK(key("exchange.transactions", "every").forms.size() == 2);
  CHECK(key("exchange.transactions", "name").required);
  CHECK_FALSE(key("exchange.wants", "every").required);  // one that writes on a bit has none
  CHECK(key("exchange.wants", "slave").required);
  CHECK(key("slave.*.reply", "min").forms.front().kind == KeyKind::duration);
  CHECK(files::plan_table("line.*.latency")->find("min") == nullptr);
  CHECK(files::name_of_table("line.*.park") == "`park` of [line.NAME]");
  CHECK(files::name_of_table("exchange.transactions") == "a transaction");
}

TEST_CASE("every key of the table is read, and no other") {
  // a table of each kind with one key in it: said to be unknown, or not
  const std::vector<std::pair<std::string, std::string>> tables{
      {"plan", "[plan]\n"},
      {"controller.*", "[controller.c]\n"},
      {"controller.*.answers", "[[controller.c.answers]]\n"},
      {"controller.*.memory.*", "[controller.c.memory.m]\n"},
      {"line.*", "[line.l]\n"},
      {"gateway.*", "[gateway.g]\n"},
      {"slave.*", "[slave.s]\n"},
      {"slave.*.settings", "[slave.s.settings]\n"},
      {"exchange", "[exchange]\n"},
      {"exchange.transactions", "[[exchange.transactions]]\n"},
      {"exchange.transactions.read", "[[exchange.transactions]]\nread.at = 1\nread."},
      {"exchange.copies", "[[exchange.copies]]\n"},
      {"exchange.wants", "[[exchange.wants]]\n"},
      {"supervision.heartbeats", "[[supervision.heartbeats]]\n"},
      {"supervision.paths", "[[supervision.paths]]\n"},
      {"review.accepts", "[[review.accepts]]\n"}};
  std::set<std::string> all;
  for (const files::PlanTable& table : files::plan_tables()) {
    for (const files::PlanKey& key : table.keys) all.insert(key.name);
  }
  all.insert("zzzz");
  for (const auto& [path, head] : tables) {
    for (const std::string& name : all) {
      if (name == "at" && path == "exchange.transactions.read") continue;
      const auto loaded = test::load(head + name + " = 1\n");
      bool unknown = false;
      for (const model::Finding& f : loaded.findings) {
        unknown = unknown ||
                  (f.rule == model::RuleCode::P02 && f.message == "unknown key `" + name + "`");
      }
      INFO(path << " " << name);
      CHECK(unknown == (files::plan_table(path)->find(name) == nullptr));
    }
  }
}
