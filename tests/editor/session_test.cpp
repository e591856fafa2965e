// The protocol itself: its order, its errors, sessions byte by byte, and editors that do not keep
// to it.
#include <filesystem>
#include <fstream>

#include <fmt/format.h>
#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "editor_client.h"
#include "plans.h"

using namespace greymet;
using test::EditorClient;
using test::Rpc;

namespace {

editor::ServerWords no_words() {
  return {"1", [](std::string_view, std::string_view) { return std::string(); }, {}};
}

// What the server sends for one message.
std::vector<std::string> sent(editor::LanguageServer& server, const std::string& message) {
  server.receive(message);
  return server.take_outgoing();
}

// All that is sent while what is due is checked.
std::string told_after_check(editor::LanguageServer& server) {
  std::string told;
  while (const auto task = server.next_check()) {
    editor::Reading reading = editor::read_for_editor(*task);
    editor::check_reading(reading, {});
    server.publish(std::make_shared<const editor::Reading>(std::move(reading)));
    for (const std::string& each : server.take_outgoing()) told += each;
  }
  return told;
}

}  // namespace

TEST_CASE("requests are answered in the protocol's order, and out of it with its errors") {
  editor::LanguageServer server(files::memory_files({}), no_words());
  CHECK(
      sent(server, R"({"jsonrpc":"2.0","id":1,"method":"textDocument/hover","params":{}})") ==
      std::vector<std::string>{
          R"({"jsonrpc":"2.0","id":1,"error":{"code":-32002,"message":"initialize comes first"}})"});
  CHECK(sent(server, R"({"jsonrpc":"2.0","method":"textDocument/didOpen","params":{}})").empty());
  CHECK(sent(server, "{") ==
        std::vector<std::string>{
            R"({"jsonrpc":"2.0","id":null,"error":{"code":-32700,"message":"this is no JSON"}})"});
  CHECK(
      sent(server, "[]") ==
      std::vector<std::string>{
          R"({"jsonrpc":"2.0","id":null,"error":{"code":-32600,"message":"this is no request"}})"});
  CHECK(
      sent(server, R"({"id":"a","method":7})") ==
      std::vector<std::string>{
          R"({"jsonrpc":"2.0","id":"a","error":{"code":-32600,"message":"this is no request"}})"});
  const auto hello =
      sent(server, R"({"jsonrpc":"2.0","id":2,"method":"initialize","params":null})");
  REQUIRE(hello.size() == 1);
  const Rpc capabilities = Rpc::parse(hello.front())["result"]["capabilities"];
  CHECK(capabilities["positionEncoding"] == "utf-16");
  CHECK(capabilities["textDocumentSync"]["change"] == 2);
  CHECK(sent(server, R"({"jsonrpc":"2.0","id":3,"method":"initialize"})").front().find("-32600") !=
        std::string::npos);
  CHECK(sent(server, R"({"jsonrpc":"2.0","id":4,"method":"textDocument/foldingRange"})") ==
        std::vector<std::string>{R"({"jsonrpc":"2.0","id":4,"error":{"code":-32601,"message":)"
                                 R"("'textDocument/foldingRange' is not known"}})"});
  CHECK(sent(server, R"({"jsonrpc":"2.0","method":"$/cancelRequest","params":{"id":4}})").empty());
  CHECK(sent(server, R"({"jsonrpc":"2.0","id":5,"result":null})").empty());
  CHECK_FALSE(server.exit_status());
  CHECK(sent(server, R"({"jsonrpc":"2.0","id":6,"method":"shutdown"})") ==
        std::vector<std::string>{R"({"jsonrpc":"2.0","id":6,"result":null})"});
  CHECK(sent(server, R"({"jsonrpc":"2.0","id":7,"method":"shutdown"})").front().find("-32600") !=
        std::string::npos);
  server.receive(R"({"jsonrpc":"2.0","method":"exit"})");
  CHECK(server.exit_status() == 0);
  editor::LanguageServer rude(files::memory_files({}), no_words());
  rude.receive(R"({"jsonrpc":"2.0","method":"exit"})");
  CHECK(rude.exit_status() == 1);
}

TEST_CASE("an editor that counts bytes is given bytes") {
  EditorClient client({}, {{"general", {{"positionEncodings", {"utf-32", "utf-8"}}}}});
  client.open("/p/plan.toml", "[plan]\ntitle = \"\xC3\xA4\xC3\xA4\"\nscan = 1\n");
  client.settle();
  const auto at = client.diagnostics.find("file:///p/plan.toml");
  REQUIRE(at != client.diagnostics.end());
  CHECK(at->second.dump().find("unknown key `scan`") != std::string::npos);
  const Rpc hover =
      client.request("textDocument/hover", {{"textDocument", {{"uri", "file:///p/plan.toml"}}},
                                            {"position", {{"line", 1}, {"character", 12}}}});
  // behind the letters of two bytes each
  CHECK(hover["range"]["end"]["character"] == 14);
}

TEST_CASE("findings are told of the version that was looked at, however late that is") {
  rc::prop("each text has a mark of its own, which what is told of its version names", [] {
    // two plans that name the same map
    const std::vector<std::string> uris{"file:///p/plan.toml", "file:///p/q/../other.toml",
                                        "file:///p/gauge.csv"};
    std::map<std::string, std::string> files;
    for (const auto& [name, text] : test::base_files()) files["/p/" + name] = text;
    editor::LanguageServer server(files::memory_files(files), no_words());
    sent(server, R"({"jsonrpc":"2.0","id":1,"method":"initialize","params":null})");
    // of what is open: the mark of each version, counted from 1 with each opening
    std::map<std::string, std::vector<std::string>> marks;
    std::vector<editor::ReadingTask> begun;   // checks that are under way
    std::map<std::string, std::string> told;  // the last of each
    int counted = 0;
    const auto look = [&](const editor::ReadingTask& task) {
      editor::Reading reading = editor::read_for_editor(task);
      editor::check_reading(reading, {});
      server.publish(std::make_shared<const editor::Reading>(std::move(reading)));
      for (const std::string& each : server.take_outgoing()) {
        const Rpc params = Rpc::parse(each)["params"];
        const auto uri = params["uri"].get<std::string>();
        const std::string findings = params["diagnostics"].dump();
        told[uri] = findings;
        if (!params.contains("version")) continue;
        const auto version = params["version"].get<std::size_t>();
        RC_ASSERT(version >= 1U);
        RC_ASSERT(marks.contains(uri));
        RC_ASSERT(version <= marks.at(uri).size());
        RC_ASSERT(findings.find(marks.at(uri)[version - 1]) != std::string::npos);
      }
    };
    for (int step = 0; step < 30; ++step) {
      const std::string uri = *rc::gen::elementOf(uris);
      const bool opens = !marks.contains(uri);
      switch (*rc::gen::inRange(0, 6)) {
        case 0:
          if (opens) break;
          marks.erase(uri);
          told.erase(uri);
          sent(server, Rpc{{"jsonrpc", "2.0"},
                           {"method", "textDocument/didClose"},
                           {"params", {{"textDocument", {{"uri", uri}}}}}}
                           .dump());
          break;
        case 1:
        case 2: {
          const std::string mark = fmt::format("zzz{}_", ++counted);
          marks[uri].push_back(mark);
          const std::string text =
              uri.ends_with(".csv") ? fmt::format("point,area,address,type\nlow,hr,10,{}\n", mark)
                                    : fmt::format("{} = 1\n{}", mark, test::with_rows({}));
          Rpc params{
              {"textDocument", {{"uri", uri}, {"version", marks[uri].size()}, {"text", text}}}};
          if (!opens) params["contentChanges"] = Rpc::array({{{"text", text}}});
          sent(server, Rpc{{"jsonrpc", "2.0"},
                           {"method", opens ? "textDocument/didOpen" : "textDocument/didChange"},
                           {"params", params}}
                           .dump());
          break;
        }
        case 3:
          if (auto task = server.next_check()) begun.push_back(std::move(*task));
          break;
        default:
          if (begun.empty()) break;
          look(begun.front());
          begun.erase(begun.begin());
      }
    }
    for (const editor::ReadingTask& task : begun) look(task);
    while (const auto task = server.next_check()) look(*task);
    for (const auto& [uri, list] : marks) {
      RC_LOG() << uri << " " << list.back() << std::endl;
      RC_ASSERT(told.contains(uri));
      RC_ASSERT(told.at(uri).find(list.back()) != std::string::npos);
    }
  });
}

TEST_CASE("a version of a text that was closed stands for nothing when it is opened again") {
  // two plans look at one map; of one of them the check comes late
  std::map<std::string, std::string> files;
  for (const auto& [name, text] : test::base_files()) files["/p/" + name] = text;
  EditorClient client(files);
  client.open("/p/a.toml", test::with_rows({}));
  client.open("/p/b.toml", test::with_rows({}));
  const auto map_of = [](const std::string& mark) {
    return "point,area,address,type\nlow,hr,10," + mark + "\n";
  };
  client.open("/p/gauge.csv", map_of("before"));
  client.settle();
  client.notify("textDocument/didClose", EditorClient::document("/p/gauge.csv"));
  client.open("/p/gauge.csv", map_of("first"));
  client.write("/p/gauge.csv", map_of("second"));
  client.messages.clear();
  const auto task = client.server().next_check();
  REQUIRE(task);
  editor::Reading reading = editor::read_for_editor(*task);
  editor::check_reading(reading, {});
  client.server().publish(std::make_shared<const editor::Reading>(std::move(reading)));
  std::size_t told = 0;
  for (const std::string& each : client.server().take_outgoing()) {
    const Rpc params = Rpc::parse(each)["params"];
    if (params["uri"] != "file:///p/gauge.csv") continue;
    ++told;
    INFO(each);
    CHECK(params["version"] > 1);
    CHECK(each.find("second") != std::string::npos);
  }
  CHECK(told == 1);
}

TEST_CASE("a recorded session is answered byte by byte as it was") {
  // '>' is what an editor sent, '<' what it was told, 'c' that what was due was checked
  const std::filesystem::path folder = std::string(GREYMET_SOURCE) + "/tests/golden/editor";
  std::map<std::string, std::string> files;
  for (const auto& [name, text] : test::base_files()) files["/p/" + name] = text;
  std::size_t sessions = 0;
  for (const auto& golden : std::filesystem::directory_iterator(folder)) {
    if (golden.path().extension() != ".txt") continue;
    ++sessions;
    INFO(golden.path().filename().string());
    std::ifstream in(golden.path());
    REQUIRE(in.is_open());
    editor::LanguageServer server(
        files::memory_files(files),
        {"1", [](std::string_view, std::string_view) { return std::string("help"); }, {}});
    std::string again;
    std::string recorded;
    for (std::string line; std::getline(in, line);) {
      recorded += line + "\n";
      if (line.starts_with("<")) continue;
      again += line + "\n";
      if (line.starts_with("> ")) server.receive(std::string_view(line).substr(2));
      if (line == "c") {
        while (const auto task = server.next_check()) {
          editor::Reading reading = editor::read_for_editor(*task);
          editor::check_reading(reading, {});
          server.publish(std::make_shared<const editor::Reading>(std::move(reading)));
        }
      }
      for (const std::string& message : server.take_outgoing()) again += "< " + message + "\n";
    }
    if (std::getenv("GREYMET_WRITE_GOLDEN") != nullptr) {
      std::ofstream(golden.path()) << again;
    } else {
      CHECK(again == recorded);
    }
    CHECK(server.exit_status() == 0);
  }
  CHECK(sessions == 4);
}

TEST_CASE("whatever an editor sends, in whatever order, the server goes on") {
  static const std::vector<std::string> methods{"initialize",
                                                "shutdown",
                                                "textDocument/didOpen",
                                                "textDocument/didChange",
                                                "textDocument/didClose",
                                                "textDocument/didSave",
                                                "textDocument/hover",
                                                "textDocument/completion",
                                                "textDocument/definition",
                                                "textDocument/references",
                                                "textDocument/documentSymbol",
                                                "textDocument/prepareRename",
                                                "textDocument/rename",
                                                "textDocument/inlayHint",
                                                "textDocument/formatting",
                                                "textDocument/rangeFormatting",
                                                "textDocument/codeAction",
                                                "workspace/executeCommand",
                                                "workspace/didChangeWatchedFiles"};
  static const std::vector<std::string> values{
      "null",
      "1",
      "-5",
      "1e300",
      "\"\"",
      "\"file:///p/plan.toml\"",
      "\"file:///p/gauge.csv\"",
      "[]",
      "{}",
      "[[1]]",
      "true",
      "4294967296",

      "\"[slave.a]\\nunit = 1\"",
      R"({"line":0,"character":9})",
      R"({"start":{"line":2,"character":0},"end":{"line":1}})",
      R"([{"range":{"start":{"line":1,"character":1},"end":{"line":0,"character":0}},"text":"x"}])",
      R"([{"text":"[exchange]\ntransactions = [ { name = \"a\" "}])",
      R"({"uri":"file:///p/plan.toml","version":2,"text":"[line.x]\nbaud = 1"})",
      R"({"uri":"file:///p/gauge.csv","text":"point,address\na,1"})"};
  static const std::vector<std::string> names{
      "textDocument", "position", "range",   "text",      "uri",     "contentChanges",
      "newName",      "context",  "command", "arguments", "options", "capabilities"};
  rc::prop("messages of the protocol's own words", [] {
    std::map<std::string, std::string> files;
    for (const auto& [name, text] : test::base_files()) files["/p/" + name] = text;
    editor::LanguageServer server(files::memory_files(files), no_words());
    server.receive(R"({"jsonrpc":"2.0","id":0,"method":"initialize","params":{}})");
    server.receive(
        R"({"jsonrpc":"2.0","method":"textDocument/didOpen","params":{"textDocument":)"
        R"({"uri":"file:///p/plan.toml","version":1,"text":"[slave.b]\nmap = \"gauge.csv\"\n"}}})");
    static_cast<void>(server.take_outgoing());
    const int count = *rc::gen::inRange(1, 12);
    for (int i = 0; i < count; ++i) {
      const bool has_id = *rc::gen::arbitrary<bool>();
      std::string params;
      const int members = *rc::gen::inRange(0, 4);
      for (int m = 0; m < members; ++m) {
        params += fmt::format("{}\"{}\":{}", m > 0 ? "," : "", *rc::gen::elementOf(names),
                              *rc::gen::elementOf(values));
      }
      const std::string method = *rc::gen::elementOf(methods);
      if (method == "shutdown") continue;
      server.receive(fmt::format(R"({{"jsonrpc":"2.0",{}"method":"{}","params":{{{}}}}})",
                                 has_id ? fmt::format("\"id\":{},", i + 1) : "", method, params));
      const auto out = server.take_outgoing();
      if (has_id) {
        const auto answers = std::count_if(out.begin(), out.end(), [&](const std::string& each) {
          const Rpc json = Rpc::parse(each);
          return !json.contains("method") && json["id"] == i + 1;
        });
        RC_ASSERT(answers == 1);
      }
      if (const auto task = server.next_check()) {
        editor::Reading reading = editor::read_for_editor(*task);
        editor::check_reading(reading, {});
        server.publish(std::make_shared<const editor::Reading>(std::move(reading)));
      }
    }
    // and still knows its work
    server.receive(
        R"({"jsonrpc":"2.0","id":"last","method":"textDocument/hover","params":)"
        R"({"textDocument":{"uri":"file:///p/plan.toml"},"position":{"line":0,"character":0}}})");
    RC_ASSERT(server.take_outgoing().back().find("\"last\"") != std::string::npos);
  });
}

TEST_CASE("deep, huge and broken texts are taken as they come") {
  editor::LanguageServer server(files::memory_files({}), no_words());
  server.receive(R"({"jsonrpc":"2.0","id":0,"method":"initialize","params":{}})");
  server.receive(std::string(100'000, '[') + std::string(100'000, ']'));
  server.receive(R"({"jsonrpc":"2.0","id":1,"method":"initialize","params":)" +
                 std::string(100'000, '[') + std::string(100'000, ']') + "}");
  static_cast<void>(server.take_outgoing());
  const auto open = [&](const std::string& text) {
    server.receive(
        Rpc{{"jsonrpc", "2.0"},
            {"method", "textDocument/didOpen"},
            {"params",
             {{"textDocument", {{"uri", "file:///p/plan.toml"}, {"version", 1}, {"text", text}}}}}}
            .dump());
    return told_after_check(server);
  };
  CHECK(open("x = " + std::string(200'000, '[')).find("P01") != std::string::npos);
  // beyond what is read at all
  CHECK(open(std::string(std::size_t{20} << 20, '#')).find("more than 16777216 bytes") !=
        std::string::npos);
  server.receive(R"({"jsonrpc":"2.0","method":"textDocument/didChange","params":{"textDocument":)"
                 R"({"uri":"file:///p/plan.toml","version":2},"contentChanges":[{"range":{"start":)"
                 R"({"line":0,"character":0},"end":{"line":0,"character":1}},"text":"y"}]}})");
  // a whole text that fits counts again
  server.receive(
      R"({"jsonrpc":"2.0","method":"textDocument/didChange","params":{"textDocument":)"
      R"({"uri":"file:///p/plan.toml","version":3},"contentChanges":[{"text":"zzz = 1\n"}]}})");
  const std::string told = told_after_check(server);
  CHECK(told.find("unknown key `zzz`") != std::string::npos);
}
