// Rows in a table of their own: what the editor says of them is what it says of the same rows in
// the plan. And areas of memory, counted by hand.
#include <map>

#include <fmt/format.h>
#include <catch2/catch.hpp>

#include "editor_client.h"
#include "plans.h"

using namespace greymet;
using test::EditorClient;
using test::Rpc;

namespace {

// Rows as a table writes them; "-" is what is left out.
const std::vector<std::string> headings{"name",     "slave",       "fc",         "at",
                                        "count",    "into",        "from",       "every",
                                        "on_loss",  "read.at",     "read.count", "read.into",
                                        "write.at", "write.count", "write.from"};
const std::vector<std::vector<std::string>> rows{
    {"level", "gauge", "3", "0", "4", "%MW10", "-", "1s", "hold", "-", "-", "-", "-", "-", "-"},
    {"low-high", "gauge", "3", "low", "2", "%MW", "-", "500ms", "hold", "-", "-", "-", "-", "-",
     "-"},
    {"inputs", "gauge", "4", "0", "4", "%MW100", "-", "2s", "zero", "-", "-", "-", "-", "-", "-"},
    {"set", "gauge", "16", "low", "2", "-", "%MW50", "1s", "-", "-", "-", "-", "-", "-", "-"},
    {"pumped", "pump", "3", "speed", "2", "%MW200", "-", "250ms", "hold", "-", "-", "-", "-", "-",
     "-"},
    {"both", "gauge", "23", "-", "-", "-", "-", "1s", "hold", "0", "4", "%MW300", "10", "2",
     "%MW310"}};

std::string as_inline_rows() {
  std::vector<std::string> out;
  for (const auto& row : rows) {
    std::map<std::string, std::string> parts;  // of "read" and "write"
    std::string text;
    for (std::size_t i = 0; i < headings.size(); ++i) {
      if (row[i] == "-") continue;
      const bool number = row[i].find_first_not_of("0123456789") == std::string::npos;
      const std::size_t dot = headings[i].find('.');
      std::string& to = dot == std::string::npos ? text : parts[headings[i].substr(0, dot)];
      to += fmt::format("{}{} = {}", to.empty() ? "" : ", ",
                        dot == std::string::npos ? headings[i] : headings[i].substr(dot + 1),
                        number ? row[i] : fmt::format("\"{}\"", row[i]));
    }
    for (const auto& [key, own] : parts) text += fmt::format(", {} = {{ {} }}", key, own);
    out.push_back("{ " + text + " }");
  }
  return test::with_rows(out);
}

std::string as_table() {
  std::string text = fmt::format("{}\n", fmt::join(headings, ","));
  for (const auto& row : rows) {
    for (std::size_t i = 0; i < row.size(); ++i) {
      text += fmt::format("{}{}", i > 0 ? "," : "", row[i] == "-" ? "" : row[i]);
    }
    text += "\n";
  }
  return text;
}

// Labels of hints, in their order, of the line with these words.
std::string hints_of_line(EditorClient& client, const std::string& path, const std::string& words) {
  const auto place = EditorClient::position(client.texts[path], client.texts[path].find(words));
  const Rpc hints = client.request("textDocument/inlayHint",
                                   {{"textDocument", {{"uri", "file://" + path}}},
                                    {"range",
                                     {{"start", {{"line", place["line"]}, {"character", 0}}},
                                      {"end", {{"line", place["line"]}, {"character", 999}}}}}});
  std::string out;
  for (const Rpc& each : hints) out += each["label"].get<std::string>() + "|";
  return out;
}

std::map<std::string, std::string> base_site() {
  std::map<std::string, std::string> out;
  for (const auto& [name, text] : test::base_files()) out["/p/" + name] = text;
  return out;
}

}  // namespace

TEST_CASE("rows in a table have the hints and hovers of rows in the plan") {
  EditorClient in_plan(base_site());
  in_plan.open("/p/plan.toml", as_inline_rows());
  in_plan.settle();
  EditorClient in_table(base_site());
  in_table.open("/p/plan.toml", test::base_plan() + "[exchange]\ntable = \"rows.csv\"\n");
  in_table.open("/p/rows.csv", as_table());
  in_table.settle();
  const auto hover = [](EditorClient& client, const std::string& path, const std::string& words,
                        std::size_t behind) {
    const Rpc got = client.request("textDocument/hover", client.at(path, words, behind));
    return got.is_null() ? std::string() : got["contents"]["value"].get<std::string>();
  };
  std::size_t told = 0;
  for (const auto& row : rows) {
    INFO(row[0]);
    const std::string inline_row = fmt::format("name = \"{}\"", row[0]);
    const std::string hints = hints_of_line(in_plan, "/p/plan.toml", inline_row);
    CHECK(hints.find(" ms, answered within ") != std::string::npos);
    CHECK(hints_of_line(in_table, "/p/rows.csv", row[0] + ",") == hints);
    const std::string text = hover(in_plan, "/p/plan.toml", inline_row, 9);
    CHECK(text.find("request `") != std::string::npos);
    CHECK(hover(in_table, "/p/rows.csv", row[0] + ",", 1) == text);
    if (row[3] == "-") continue;
    // the address and the slave beside it
    const std::string cells = fmt::format("{},{},{},{},", row[0], row[1], row[2], row[3]);
    for (const bool of_slave : {true, false}) {
      const std::size_t behind = of_slave ? row[0].size() + 2 : cells.size() - 2;
      const std::string here = hover(in_table, "/p/rows.csv", cells, behind);
      const bool number = row[3].find_first_not_of("0123456789") == std::string::npos;
      const std::string key = of_slave ? fmt::format("slave = \"{}\"", row[1])
                              : number ? fmt::format("at = {}", row[3])
                                       : fmt::format("at = \"{}\"", row[3]);
      const std::string plan_text = in_plan.texts["/p/plan.toml"];
      const std::size_t begin = plan_text.find(inline_row);
      const std::size_t at = plan_text.find(key, begin) + key.size() - (number || of_slave ? 1 : 2);
      const Rpc got = in_plan.request("textDocument/hover",
                                      {{"textDocument", {{"uri", "file:///p/plan.toml"}}},
                                       {"position", EditorClient::position(plan_text, at)}});
      REQUIRE_FALSE(got.is_null());
      CHECK(here == got["contents"]["value"].get<std::string>());
      ++told;
    }
  }
  CHECK(told == 2 * (rows.size() - 1));
  // headings say what their key does
  CHECK(hover(in_table, "/p/rows.csv", "every", 1) == "`every`: about exchange.transactions every");
}

TEST_CASE("an area of memory says how much of it is used, and what is free") {
  EditorClient client(base_site());
  client.open("/p/plan.toml", as_inline_rows());
  client.settle();
  const auto hover = [&](const std::string& words, std::size_t behind) {
    const Rpc got = client.request("textDocument/hover", client.at("/p/plan.toml", words, behind));
    return got.is_null() ? std::string() : got["contents"]["value"].get<std::string>();
  };
  // 10..13, 50..51, 100..103, 200..201, 300..303, 310..311, and low-high at the lowest place
  CHECK(hover("\"%MW\" = {", 2) ==
        "**`%MW`** of `kiln`: 1000 words, `%MW0` to `%MW999`\n\n"
        "- used: 20 of 1000 words, counting those of which a part is\n"
        "- free: `%MW2..%MW9`, `%MW14..%MW49`, `%MW52..%MW99`, `%MW104..%MW199`, "
        "`%MW202..%MW299`, `%MW304..%MW309`, `%MW312..%MW999`\n");
  CHECK(hover("\"%MX\" = {", 2) ==
        "**`%MX`** of `kiln`: 256 bits, `%MX0` to `%MX255`\n\n"
        "- used: 0 of 256 bits, counting those of which a part is\n"
        "- free: `%MX0..%MX255`\n");
  // bits that are the first ten words' own: what is free behind them is not theirs
  const std::string bits =
      "\"%M\" = { kind = \"bit\", inside = \"%MW\", count = 160 }\n\"%MX\" = {";
  client.write("/p/plan.toml", test::replaced(test::replaced(as_inline_rows(), "\"%MX\" = {", bits),
                                              "into = \"%MW10\"", "into = \"%MW6\""));
  client.settle();
  CHECK(hover("\"%M\" = {", 2) ==
        "**`%M`** of `kiln`: 160 bits, `%M0` to `%M159`, in the words of `%MW`\n\n"
        "- used: 96 of 160 bits, counting those of which a part is\n"
        "- free: `%MW2..%MW5`\n");
}
