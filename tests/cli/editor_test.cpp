// `greymet editor` as a program: over pipes, quickly, roughly, and to its end.
#include <fcntl.h>
#include <poll.h>
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>

#include <fmt/format.h>
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "editor/message_stream.h"
#include "plans.h"
#include "process.h"

using namespace greymet;

namespace {

using EditorJson = nlohmann::ordered_json;

// The program with pipes to it.
class EditorProcess {
 public:
  EditorProcess() {
    int to[2];
    int from[2];
    REQUIRE(::pipe(to) == 0);
    REQUIRE(::pipe(from) == 0);
    pid_ = ::fork();
    REQUIRE(pid_ >= 0);
    if (pid_ == 0) {
      ::dup2(to[0], STDIN_FILENO);
      ::dup2(from[1], STDOUT_FILENO);
      for (const int fd : {to[0], to[1], from[0], from[1]}) ::close(fd);
      ::execl(GREYMET_PROGRAM, GREYMET_PROGRAM, "editor", nullptr);
      ::_exit(127);
    }
    ::close(to[0]);
    ::close(from[1]);
    to_ = to[1];
    from_ = from[0];
    ::signal(SIGPIPE, SIG_IGN);
    ::fcntl(to_, F_SETFL, O_NONBLOCK);
  }
  EditorProcess(const EditorProcess&) = delete;
  EditorProcess& operator=(const EditorProcess&) = delete;
  ~EditorProcess() {
    if (to_ >= 0) ::close(to_);
    ::close(from_);
    if (pid_ > 0) {
      ::kill(pid_, SIGKILL);
      ::waitpid(pid_, nullptr, 0);
    }
  }

  // Writes all, and reads meanwhile what comes.
  void write(std::string_view bytes) {
    while (!bytes.empty()) {
      pollfd watched[2] = {{to_, POLLOUT, 0}, {from_, POLLIN, 0}};
      REQUIRE(::poll(watched, 2, 20'000) > 0);
      if (watched[1].revents != 0) read_some();
      if (watched[0].revents == 0) continue;
      const ssize_t count = ::write(to_, bytes.data(), bytes.size());
      REQUIRE(count > 0);
      bytes.remove_prefix(static_cast<std::size_t>(count));
    }
  }
  void send(const EditorJson& json) { write(editor::framed_message(json.dump())); }
  void notify(const std::string& method, const EditorJson& params) {
    send({{"jsonrpc", "2.0"}, {"method", method}, {"params", params}});
  }
  EditorJson request(const std::string& method, const EditorJson& params) {
    send({{"jsonrpc", "2.0"}, {"id", ++id_}, {"method", method}, {"params", params}});
    return wait_for([&](const EditorJson& each) {
      return each.contains("id") && each["id"] == id_ && !each.contains("method");
    });
  }
  // The next message of that kind; what comes before it is gone.
  template <class Is>
  EditorJson wait_for(const Is& is) {
    const auto until = std::chrono::steady_clock::now() + std::chrono::seconds(60);
    while (std::chrono::steady_clock::now() < until) {
      while (const auto message = stream_.next()) {
        EditorJson json = EditorJson::parse(*message);
        if (is(json)) return json;
      }
      pollfd watched{from_, POLLIN, 0};
      if (::poll(&watched, 1, 1000) > 0 && !read_some()) break;
    }
    FAIL("the message did not come");
    return {};
  }
  EditorJson findings_of(const std::string& uri, int version) {
    return wait_for([&](const EditorJson& each) {
      return each.contains("method") && each["method"] == "textDocument/publishDiagnostics" &&
             each["params"]["uri"] == uri && each["params"]["version"] == version;
    })["params"]["diagnostics"];
  }
  int end() {
    if (to_ >= 0) ::close(to_);
    to_ = -1;
    int status = 0;
    REQUIRE(::waitpid(pid_, &status, 0) == pid_);
    pid_ = -1;
    return WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
  }

 private:
  bool read_some() {
    char bytes[65536];
    const ssize_t count = ::read(from_, bytes, sizeof bytes);
    if (count <= 0) return false;
    stream_.feed({bytes, static_cast<std::size_t>(count)});
    return true;
  }

  pid_t pid_ = -1;
  int to_ = -1;
  int from_ = -1;
  int id_ = 0;
  editor::MessageStream stream_;
};

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
  EditorProcess editor;
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
  EditorProcess gone;
  CHECK(gone.end() == 0);  // an editor that was never there
  EditorProcess rude;
  rude.notify("exit", nullptr);
  CHECK(rude.end() == 1);
}

TEST_CASE("ten thousand changes are followed by what the last text says") {
  const test::TemporaryFolder folder;
  const std::string uri = "file://" + folder.path() + "/plan.toml";
  EditorProcess editor;
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
  EditorProcess editor;
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
