// What an editor is told, against what the program says of the same files, and against what becomes
// of the texts.
#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include <set>

#include <fmt/format.h>

#include "checks/check.h"
#include "editor_client.h"
#include "files/cures.h"
#include "files/toml_reader.h"
#include "model/utf8_text.h"
#include "plans.h"

using namespace greymet;
using test::EditorClient;
using test::Rpc;

namespace {

using FileTexts = std::map<std::string, std::string>;

// Each question is some checks of the demo: fewer where everything takes forty times as long.
#ifdef GREYMET_SANITIZED
constexpr bool is_slow = true;
#else
constexpr bool is_slow = false;
#endif

model::Findings found_in(const std::string& plan, const FileTexts& texts) {
  const auto loaded = files::load_plan(plan, files::memory_files(texts));
  checks::RuleSelection all;
  all.assumptions = true;
  return checks::check(loaded.plan, loaded.findings, all);
}

// "F13 12", of all files.
std::vector<std::string> told_by_check(const std::string& plan, const FileTexts& texts) {
  std::vector<std::string> out;
  for (const model::Finding& f : found_in(plan, texts)) {
    out.push_back(fmt::format("{} {} {}", to_string(f.rule),
                              std::max<std::uint32_t>(1, f.place.line),
                              to_text(f.subject) + ": " + model::shown(f.message)));
  }
  std::sort(out.begin(), out.end());
  return out;
}

std::vector<std::string> told_by_editor(const EditorClient& client) {
  std::vector<std::string> out;
  for (const auto& [uri, list] : client.diagnostics) {
    for (const Rpc& each : list) {
      const auto message = each["message"].get<std::string>();
      out.push_back(fmt::format("{} {} {}", each["code"].get<std::string>(),
                                each["range"]["start"]["line"].get<int>() + 1,
                                message.substr(0, message.find('\n'))));
    }
  }
  std::sort(out.begin(), out.end());
  return out;
}

// Of rules and severities how many, of the whole plan.
std::map<std::string, int> counts_of(const model::Findings& findings) {
  std::map<std::string, int> counts;
  for (const model::Finding& f : findings) {
    if (to_string(f.rule).starts_with('A')) continue;
    ++counts[std::string(to_string(f.rule)) + std::string(to_string(f.severity))];
  }
  return counts;
}

}  // namespace

TEST_CASE("what stands in the editor is what check finds, in every file of the plan") {
  const FileTexts site = test::demo_site();
  for (const std::string name : {"slips.toml", "draft.toml", "maltings.toml"}) {
    const std::string plan = "/site/" + name;
    EditorClient client(site);
    client.open(plan, site.at(plan));
    client.settle();
    CHECK(told_by_editor(client) == told_by_check(plan, site));
    if (is_slow && name != "slips.toml") break;
    // a map that is changed in the editor, and saved nowhere
    FileTexts changed = site;
    std::string& map = changed["/site/maps/burner.csv"];
    map = test::replaced(map, "flame_signal", "flame signal");
    client.open("/site/maps/burner.csv", site.at("/site/maps/burner.csv"));
    client.write("/site/maps/burner.csv", map);
    client.settle();
    CHECK(told_by_editor(client) == told_by_check(plan, changed));
    // closed, the file counts again
    client.notify("textDocument/didClose", EditorClient::document("/site/maps/burner.csv"));
    client.settle();
    CHECK(told_by_editor(client) == told_by_check(plan, site));
    client.notify("textDocument/didClose", EditorClient::document(plan));
    CHECK(told_by_editor(client).empty());
  }
}

TEST_CASE("a text that is changed in pieces says what the whole text says") {
  FileTexts site;
  for (const auto& [name, text] : test::base_files()) site["/site/" + name] = text;
  const std::string plan = "/site/plan.toml";
  site[plan] =
      test::with_rows({"{ name = \"t\", slave = \"gauge\", fc = 3, at = 0, count = 4, into = "
                       "\"%MW0\", every = \"1s\" }"});
  rc::prop("any pieces, letters of all lengths among them", [&] {
    EditorClient client(site);
    client.open(plan, site.at(plan));
    FileTexts texts = site;
    static const std::vector<std::string> words{
        "\xC3\xA4", "\xF0\x9F\x98\x80", "\n", "# ", "\"", "1", "[slave.x]\n", "{ at = 1 },\n"};
    const int steps = *rc::gen::inRange(1, 5);
    for (int i = 0; i < steps; ++i) {
      std::string& text = texts[plan];
      auto from = *rc::gen::inRange<std::size_t>(0, text.size());
      auto to = std::min(text.size(), from + *rc::gen::inRange<std::size_t>(0, 30));
      const auto whole = [&](std::size_t& byte) {
        while (byte > 0 && byte < text.size() &&
               (static_cast<unsigned char>(text[byte]) & 0xC0U) == 0x80U) {
          --byte;
        }
      };
      whole(from);
      whole(to);
      to = std::max(from, to);
      const std::string word = *rc::gen::elementOf(words);
      client.replace(plan, from, to - from, word);
      text.replace(from, to - from, word);
      RC_ASSERT(client.texts[plan] == text);
    }
    client.settle();
    RC_ASSERT(told_by_editor(client) == told_by_check(plan, texts));
  });
}

TEST_CASE("a quick fix that is carried out takes its finding away and brings nothing as grave") {
  const FileTexts site = test::demo_site();
  std::size_t tried = 0;
  for (const std::string name : {"draft.toml", "slips.toml"}) {
    const std::string plan = "/site/" + name;
    EditorClient client(site);
    client.open(plan, site.at(plan));
    client.settle();
    const Rpc all = client.diagnostics["file://" + plan];
    const auto before = counts_of(found_in(plan, site));
    std::set<std::string> seen;
    for (const Rpc& diagnostic : all) {
      if (!seen.insert(diagnostic["code"].get<std::string>()).second) continue;
      if (is_slow && seen.size() > 2) break;
      const Rpc actions = client.request(
          "textDocument/codeAction",
          {{"textDocument", {{"uri", "file://" + plan}}},
           {"range", diagnostic["range"]},
           {"context", {{"diagnostics", Rpc::array({diagnostic})}, {"only", {"quickfix"}}}}});
      for (const Rpc& action : actions) {
        const auto title = action["title"].get<std::string>();
        if (title.starts_with("accept ")) continue;
        INFO(name << ": " << diagnostic["code"] << " " << title);
        ++tried;
        const auto after = counts_of(found_in(plan, client.with(action["edit"], site)));
        const Rpc& of = action["diagnostics"][0];
        const std::string code = of["code"].get<std::string>();
        const int severity = of["severity"].get<int>();
        const std::string key = code + (severity == 1   ? "error"
                                        : severity == 2 ? "warning"
                                                        : "note");
        const auto count = [](const std::map<std::string, int>& counts, const std::string& which) {
          const auto at = counts.find(which);
          return at == counts.end() ? 0 : at->second;
        };
        CHECK(count(after, key) < count(before, key));
        for (const auto& [rule, many] : after) {
          if (severity == 1 && !rule.ends_with("error")) continue;
          if (severity == 2 && rule.ends_with("note")) continue;
          CHECK(many <= count(before, rule));
        }
      }
    }
  }
  CHECK(tried > (is_slow ? 1U : 20U));
}

TEST_CASE("all certain fixes at once leave what check --fix leaves") {
  const FileTexts site = test::demo_site();
  const std::string plan = "/site/slips.toml";
  EditorClient client(site);
  client.open(plan, site.at(plan));
  client.settle();
  client.messages.clear();
  client.request("workspace/executeCommand",
                 {{"command", "greymet.fix-all"}, {"arguments", {"file://" + plan}}});
  REQUIRE(client.messages.size() == 1);
  REQUIRE(client.messages.front()["method"] == "workspace/applyEdit");
  const auto after = client.with(client.messages.front()["params"]["edit"], site);
  const auto cured = files::carry_out_cures(plan, files::memory_files(site), {}, false);
  FileTexts wanted = site;
  for (const files::ChangedFile& file : cured.files) wanted[file.name] = file.after;
  CHECK(after == wanted);
  CHECK(after != site);
  // nothing is left to be done
  client.write(plan, after.at(plan));
  for (const auto& [path, text] : after) {
    if (path != plan && text != site.at(path)) client.open(path, text);
  }
  client.settle();
  client.messages.clear();
  client.request("workspace/executeCommand",
                 {{"command", "greymet.fix-all"}, {"arguments", {"file://" + plan}}});
  REQUIRE(client.messages.size() == 1);
  CHECK(client.messages.front()["params"]["message"] == "no finding has a certain fix");
}

TEST_CASE("nothing is accepted without a reason, and with one it is") {
  const FileTexts site = test::demo_site();
  const std::string base = site.at("/site/draft.toml");
  // every way in which a plan may have accepts, or none
  const std::string without = base.substr(0, base.find("[review]"));
  std::size_t tried = 0;
  for (const std::string& text :
       {base, without, without + "[review]\n",
        without + "[[review.accepts]]\nrule = \"T10\"\nat = \"gateway roof\"\nwhy = \"x\"\n",
        without + "[review]\naccepts = []\n"}) {
    if (is_slow && tried > 1) break;
    const std::string plan = "/site/draft.toml";
    FileTexts texts = site;
    texts[plan] = text;
    EditorClient client(texts);
    client.open(plan, text);
    client.settle();
    const Rpc all = client.diagnostics["file://" + plan];
    std::set<std::string> done;
    for (const Rpc& diagnostic : all) {
      if (!done.insert(diagnostic["code"].get<std::string>()).second) continue;
      if (done.size() > (is_slow ? 1U : text == base ? 16U : 3U)) break;
      const Rpc actions =
          client.request("textDocument/codeAction", {{"textDocument", {{"uri", "file://" + plan}}},
                                                     {"range", diagnostic["range"]},
                                                     {"context", {{"only", {"quickfix"}}}}});
      for (const Rpc& action : actions) {
        if (!action["title"].get<std::string>().starts_with("accept ")) continue;
        INFO(action["title"] << " " << action["edit"].dump());
        ++tried;
        const std::string accepted = client.with(action["edit"], texts).at(plan);
        const auto same = [&](const std::string& with, std::size_t& silent) {
          FileTexts changed = texts;
          changed[plan] = with;
          const auto findings = found_in(plan, changed);
          const Rpc& of = action["diagnostics"][0];
          std::size_t unwritten = 0;
          silent = 0;
          for (const model::Finding& f : findings) {
            if (f.rule == model::RuleCode::P05 && f.message.find("why") != std::string::npos) {
              ++unwritten;
            }
            const auto message = of["message"].get<std::string>();
            if (to_string(f.rule) == of["code"].get<std::string>() &&
                message.starts_with(model::shown(to_text(f.subject) + ": " + f.message))) {
              ++silent;
            }
          }
          return unwritten;
        };
        std::size_t still = 0;
        CHECK(same(accepted, still) == 1);
        CHECK(same(test::replaced(accepted, "why = \"\"", "why = \"looked at\""), still) == 0);
        CHECK(still == 0);
        break;
      }
    }
  }
  CHECK(tried > (is_slow ? 1U : 15U));
}

namespace {

// Every name of the demo, with a place where it stands.
struct NamedPlace {
  std::string path;
  std::string words;
  std::size_t behind = 0;
  std::string name;
};

}  // namespace

TEST_CASE("a thing that is renamed has its new name everywhere, and back again all is as it was") {
  const FileTexts site = test::demo_site();
  const std::string plan = "/site/maltings.toml";
  const std::vector<NamedPlace> things{
      {plan, "[slave.burner]", 8, "burner"},
      {plan, "[controller.kiln]", 13, "kiln"},
      {plan, "[line.north]", 7, "north"},
      {plan, "[gateway.roof]", 10, "roof"},
      {plan, "at = \"setpoint\"", 8, "setpoint"},
      {plan, "name = \"moisture-in\"", 10, "moisture-in"},
      {"/site/maps/burner.csv", "flame_signal", 3, "flame_signal"},
  };
  for (const NamedPlace& thing : things) {
    if (is_slow && &thing != &things.front()) break;
    INFO(thing.name);
    EditorClient client(site);
    client.open(plan, site.at(plan));
    client.open("/site/maps/burner.csv", site.at("/site/maps/burner.csv"));
    client.settle();
    const auto before = told_by_editor(client);
    Rpc params = client.at(thing.path, thing.words, thing.behind);
    const Rpc prepared = client.request("textDocument/prepareRename", params);
    CHECK(prepared["placeholder"] == thing.name);
    params["newName"] = "quite_new";
    const Rpc edit = client.request("textDocument/rename", params);
    REQUIRE(edit.contains("changes"));
    const FileTexts renamed = client.with(edit, site);
    // what check says is the same, under the new name
    CHECK(counts_of(found_in(plan, renamed)) == counts_of(found_in(plan, site)));
    // the old name is nowhere what a value, a header or the begin of a place is
    for (const auto& [path, text] : renamed) {
      if (path.ends_with("draft.toml") || path.ends_with("slips.toml")) continue;
      if (thing.name == "roof" || thing.name == "setpoint") continue;  // a line too; other maps
      for (const std::string& form : {"\"" + thing.name + "\"", "." + thing.name + "]",
                                      "," + thing.name + ".", "\"" + thing.name + "."}) {
        INFO(path << " " << form);
        CHECK(text.find(form) == std::string::npos);
      }
    }
    // and back
    EditorClient again(renamed);
    again.open(plan, renamed.at(plan));
    again.open("/site/maps/burner.csv", renamed.at("/site/maps/burner.csv"));
    again.settle();
    Rpc back =
        again.at(thing.path, test::replaced(thing.words, thing.name, "quite_new"), thing.behind);
    back["newName"] = thing.name;
    CHECK(again.with(again.request("textDocument/rename", back), renamed) == site);
  }
}

TEST_CASE("a name that would change what the plan says is refused in words") {
  FileTexts site = test::demo_site();
  const std::string plan = "/site/maltings.toml";
  EditorClient client(site);
  client.open(plan, site.at(plan));
  client.settle();
  const auto refused = [&](const std::string& words, std::size_t behind, const std::string& name) {
    Rpc params = client.at(plan, words, behind);
    params["newName"] = name;
    const Rpc answer = client.answer("textDocument/rename", params);
    return answer.contains("error") ? answer["error"]["message"].get<std::string>() : "";
  };
  CHECK(refused("[slave.fan1]", 8, "fan2") == "'fan2' is the name of something else");
  CHECK(refused("[slave.fan1]", 8, "kiln") == "'kiln' is the name of something else");
  CHECK(refused("[slave.fan1]", 8, "fan 1").find("is no name") != std::string::npos);
  CHECK(refused("[slave.fan1]", 8, "").find("is no name") != std::string::npos);
  CHECK(refused("baud", 1, "x").find("nothing with a name") != std::string::npos);
  // what a pattern found by the old name, and slaves whose names are made of another one
  const std::string small = test::replaced(
      test::with_rows({"{ name = \"t\", slave = \"gauge\", points = [\"moist*\"], fc = 3, into = "
                       "\"%MW0\", every = \"1s\" }"}),
      "[slave.gauge]", "[slave.fan]\ncount = 2\nline = \"north\"\nunit = 20\n[slave.gauge]");
  FileTexts other;
  for (const auto& [name, text] : test::base_files()) other["/p/" + name] = text;
  other["/p/plan.toml"] = small;
  EditorClient second(other);
  second.open("/p/plan.toml", small);
  second.settle();
  Rpc group = second.at("/p/plan.toml", "[slave.fan]", 8);
  group["newName"] = "pump";
  CHECK(second.answer("textDocument/rename", group)["error"]["message"] ==
        "'fan' stands for several slaves, whose names are made of it");
}

namespace {

bool same_values(const std::string& a, const std::string& b) {
  model::Findings ignored;
  const auto first = files::read_toml(a, 0, ignored);
  const auto second = files::read_toml(b, 0, ignored);
  return first && second && files::same_value(*first, *second);
}

std::string without_blanks(std::string text) {
  std::erase_if(text, [](char c) { return c == ' ' || c == '\t'; });
  return text;
}

std::string formatted(const std::string& text) {
  EditorClient client({});
  client.open("/p/plan.toml", text);
  const Rpc edits = client.request("textDocument/formatting",
                                   {{"textDocument", {{"uri", "file:///p/plan.toml"}}},
                                    {"options", {{"tabSize", 2}, {"insertSpaces", true}}}});
  return client.with({{"changes", {{"file:///p/plan.toml", edits}}}}, client.texts)
      .at("/p/plan.toml");
}

}  // namespace

TEST_CASE("rows come into columns, and nothing but blanks changes") {
  CHECK(formatted("[exchange]\ntransactions = [\n"
                  "  {name=\"a\", slave = \"fan\", at=1, every = \"1s\" },\n"
                  "  { name = \"long-name\",   slave = \"f\", at = 100,   count = 2,every = \"1s\" "
                  "}, # kept\n"
                  "\n"
                  "  { name = \"other\", slave = \"pump\" },\n"
                  "]\n") ==
        "[exchange]\ntransactions = [\n"
        "  { name = \"a\",         slave = \"fan\", at = 1,              every = \"1s\" },\n"
        "  { name = \"long-name\", slave = \"f\",   at = 100, count = 2, every = \"1s\" }, # kept\n"
        "\n"
        "  { name = \"other\", slave = \"pump\" },\n"
        "]\n");
  // by letters, not by their bytes
  CHECK(
      formatted("a = [\n  { b = \"\xC3\xA4\xC3\xA4\", c = 1 },\n  { b = \"oo\",  c = 2 },\n]\n") ==
      "a = [\n  { b = \"\xC3\xA4\xC3\xA4\", c = 1 },\n  { b = \"oo\", c = 2 },\n]\n");
  for (const auto& [path, text] : test::demo_site()) {
    if (!path.ends_with(".toml")) continue;
    INFO(path);
    const std::string once = formatted(text);
    CHECK(without_blanks(once) == without_blanks(text));
    CHECK(formatted(once) == once);
    if (!path.ends_with("draft.toml")) CHECK(same_values(once, text));
  }
  rc::prop("rows of any keys", [] {
    std::string text = "rows = [\n";
    const int rows = *rc::gen::inRange(1, 6);
    for (int r = 0; r < rows; ++r) {
      text += "  {";
      const int count = *rc::gen::inRange(0, 5);
      std::string gone = "abcdef";
      for (int k = 0; k < count; ++k) {
        const auto at = *rc::gen::inRange<std::size_t>(0, gone.size());
        text += fmt::format(
            "{}{}{}={}{}", k > 0 ? "," : "", *rc::gen::element(" ", "", "  "), gone[at],
            *rc::gen::element("", " "),
            *rc::gen::element("1", "\"x, y\"", "[1,  2]", "{ z = 1 }", "\"\xC3\xA4\"", "'}'"));
        gone.erase(at, 1);
      }
      text += *rc::gen::element(" }", "}");
      text += r + 1 < rows ? "," : "";
      text += *rc::gen::element("\n", " # c\n", "\n\n", "\n# d\n");
    }
    text += "]\n";
    const std::string once = formatted(text);
    RC_ASSERT(same_values(once, text));
    RC_ASSERT(formatted(once) == once);
    RC_ASSERT(std::count(once.begin(), once.end(), '#') ==
              std::count(text.begin(), text.end(), '#'));
  });
}
