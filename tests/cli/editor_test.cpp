// `greymet editor` as a program: over pipes, quickly, roughly, and to its end.
#include <fmt/format.h>
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "editor_process.h"
#include "plans.h"
#include "process.h"

using namespace greymet;

namespace {

using test::EditorJson;

EditorJson document_of(const std::string& uri, int version, const std::string& text) {
  return {{"textDocument",
           {{"uri", uri}, {"languageId", "toml"}, {"version", version}, {"text", text}}}};
}

}  // namespace

TEST_CASE("an editor is told findings of its own text, and the program ends with it") {
  const test::TemporaryFolder folder;
  for (const auto& [name, text] : test::base_files()) folder.write(name, text);
  const std::string uri = "file://" + folder.path() + "/plan.toml";
  const std::string plan = test::with_rows(
      {"{ name = \"t\", slave = \"gauge\", fc = 3, at = 0, count = 4, into = \"%MW0\", every = "
       "\"1s\", on_loss = \"hold\" }"});
  test::EditorProcess editor(GREYMET_PROGRAM);
  const auto hello = editor.request("initialize", {{"capabilities", EditorJson::object()}});
  CHECK(hello["result"]["serverInfo"]["name"] == "greymet");
  editor.notify("textDocument/didOpen",
                document_of(uri, 1, test::replaced(plan, "fc = 3", "fcc = 3")));
  CHECK(editor.findings_of(uri, 1).dump().find("unknown key `fcc`") != std::string::npos);
  editor.notify("textDocument/didChange",
                {{"textDocument", {{"uri", uri}, {"version", 2}}},
                 {"contentChanges", EditorJson::array({{{"text", plan}}})}});
  CHECK(editor.findings_of(uri, 2).dump().find("unknown key `fcc`") == std::string::npos);
  // the code leads to the text of the rule
  CHECK(folder.read("gauge.csv") == test::base_files().at("gauge.csv"));
  CHECK(editor.request("shutdown", nullptr)["result"].is_null());
  editor.notify("exit", nullptr);
  CHECK(editor.end() == 0);
  test::EditorProcess gone(GREYMET_PROGRAM);
  CHECK(gone.end() == 0);  // an editor that was never there
  test::EditorProcess rude(GREYMET_PROGRAM);
  rude.notify("exit", nullptr);
  CHECK(rude.end() == 1);
}

TEST_CASE("ten thousand changes are followed by what the last text says") {
  const test::TemporaryFolder folder;
  const std::string uri = "file://" + folder.path() + "/plan.toml";
  test::EditorProcess editor(GREYMET_PROGRAM);
  editor.request("initialize", {{"capabilities", EditorJson::object()}});
  const std::string plan = test::with_rows({});
  editor.notify("textDocument/didOpen", document_of(uri, 1, "#\n" + plan));
  std::string bytes;
  constexpr int count = 10'000;
  for (int i = 0; i < count; ++i) {
    // a character comes and goes; with the last one a key is wrong
    const bool last = i + 1 == count;
    const EditorJson change{{"range",
                             {{"start", {{"line", 0}, {"character", 1}}},
                              {"end", {{"line", 0}, {"character", i % 2 == 0 ? 1 : 2}}}}},
                            {"text", last         ? "\nzzz = 1\n"
                                     : i % 2 == 0 ? "x"
                                                  : ""}};
    bytes +=
        editor::framed_message(EditorJson{{"jsonrpc", "2.0"},
                                          {"method", "textDocument/didChange"},
                                          {"params",
                                           {{"textDocument", {{"uri", uri}, {"version", i + 2}}},
                                            {"contentChanges", EditorJson::array({change})}}}}
                                   .dump());
  }
  editor.write(bytes);
  const auto findings = editor.findings_of(uri, count + 1);
  CHECK(findings.dump().find("unknown key `zzz`") != std::string::npos);
  CHECK(editor.request("shutdown", nullptr)["result"].is_null());
}

TEST_CASE("what is no message, or too long for one, is passed over by the program") {
  const test::TemporaryFolder folder;
  const std::string uri = "file://" + folder.path() + "/plan.toml";
  test::EditorProcess editor(GREYMET_PROGRAM);
  editor.write("GET / HTTP/1.1\r\nHost: x\r\n\r\n");
  editor.request("initialize", {{"capabilities", EditorJson::object()}});
  // a document of 100 MB
  constexpr std::size_t size = std::size_t{100} << 20;
  editor.write(fmt::format("Content-Length: {}\r\n\r\n", size));
  const std::string piece(std::size_t{1} << 20, '#');
  for (std::size_t sent = 0; sent < size; sent += piece.size()) editor.write(piece);
  editor.notify("textDocument/didChange",
                {{"textDocument", {{"uri", uri}, {"version", 2}}},
                 {"contentChanges", EditorJson::array({{{"text", "x"}}})}});
  // one of 20 MB, which no plan has
  editor.notify("textDocument/didOpen", document_of(uri, 3, std::string(20 * piece.size(), '#')));
  CHECK(editor.findings_of(uri, 3).dump().find("more than 16777216 bytes") != std::string::npos);
  editor.write("Content-Length: 7\r\n\r\n{\"id\": ");
  CHECK(editor.request("shutdown", nullptr)["result"].is_null());
  editor.notify("exit", nullptr);
  CHECK(editor.end() == 0);
}
