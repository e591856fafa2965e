// What a plan's text is made of, however it is spelt.
#include "editor/plan_text.h"

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "editor/roles.h"
#include "files/plan_keys.h"

using namespace greymet::editor;

namespace {

// "slave.*(moisture) unit=3", a line for each key.
std::vector<std::string> keys_of(const std::string& text) {
  const PlanText plan(text);
  std::vector<std::string> out;
  for (const KeyText& key : plan.keys()) {
    const TableText& table = plan.tables()[key.table];
    std::string line = table.path;
    for (const NamePart& name : table.names) line += "(" + name.name + ")";
    line += " " + key.key + "=";
    line += key.is_nested ? std::string("...") : std::string(plan.word(key.value));
    out.push_back(line);
  }
  return out;
}

}  // namespace

TEST_CASE("a key is the same key in every spelling of its table") {
  const std::vector<std::string> wanted{"slave.*(moisture) unit=3"};
  CHECK(keys_of("[slave.moisture]\nunit = 3\n") == wanted);
  CHECK(keys_of("[ slave . \"moisture\" ]\nunit=3") == wanted);
  CHECK(keys_of("slave.moisture.unit = 3") == wanted);
  CHECK(keys_of("[slave]\nmoisture.unit = 3") == wanted);
  CHECK(keys_of("[slave]\nmoisture = { unit = 3 }").back() == wanted.front());
  CHECK(keys_of("slave = { moisture = { unit = 3 } }").back() == wanted.front());
  CHECK(keys_of("[exchange]\ntransactions = [\n  { name = \"a\", at = 1 },\n]") ==
        std::vector<std::string>{"exchange transactions=...", "exchange.transactions name=a",
                                 "exchange.transactions at=1"});
  CHECK(keys_of("[[exchange.transactions]]\nname = 'a'\nread = { at = 1 }") ==
        std::vector<std::string>{"exchange.transactions name=a", "exchange.transactions read=...",
                                 "exchange.transactions.read at=1"});
  CHECK(keys_of("[controller.kiln.memory]\n\"%MW\" = { kind = \"word\" }") ==
        std::vector<std::string>{"controller.*.memory(kiln) %MW=...",
                                 "controller.*.memory.*(kiln)(%MW) kind=word"});
  CHECK(keys_of("[slave.a]\npoints = [\"x\", \"y\"]") ==
        std::vector<std::string>{"slave.*(a) points=...", "slave.*(a) points=x",
                                 "slave.*(a) points=y"});
}

TEST_CASE("whatever the text, spans lie within it and bytes find their keys") {
  rc::prop("texts of TOML's own letters", [] {
    const auto text = *rc::gen::container<std::string>(
        rc::gen::elementOf(std::string("[]{}=,.\"'#\n ab1slave.line")));
    const PlanText plan(text);
    for (const KeyText& key : plan.keys()) {
      RC_ASSERT(key.key_span.end <= text.size());
      RC_ASSERT(key.value.end <= text.size());
      RC_ASSERT(key.table < plan.tables().size());
    }
    for (std::size_t byte = 0; byte <= text.size(); ++byte) {
      static_cast<void>(plan.key_at(byte));
      const TableText& table = plan.table_at(byte);
      RC_ASSERT(table.whole.begin <= byte);
    }
  });
}

TEST_CASE("every key that has a role is a key of the reader") {
  // tables of tags are no tables of the plan
  for (const auto& [path, key] :
       std::vector<std::pair<std::string, std::string>>{{"line.*", "master"},
                                                        {"slave.*", "line"},
                                                        {"exchange.transactions", "into"},
                                                        {"exchange.transactions.status", "failed"},
                                                        {"supervision.paths", "from"},
                                                        {"review.accepts", "at"}}) {
    REQUIRE(greymet::files::plan_table(path) != nullptr);
    CHECK(greymet::files::plan_table(path)->find(key) != nullptr);
    CHECK(role_of(path, key) != Role::none);
  }
  CHECK(role_of("line.*", "baud") == Role::none);
}
