// `greymet editor` as a process with pipes to it.
#pragma once

#include <fcntl.h>
#include <poll.h>
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <stdexcept>
#include <string>
#include <string_view>

#include <nlohmann/json.hpp>

#include "editor/message_stream.h"

namespace greymet::test {

using EditorJson = nlohmann::ordered_json;

// The program with pipes to it.
class EditorProcess {
 public:
  explicit EditorProcess(const char* program) {
    int to[2];
    int from[2];
    need(::pipe(to) == 0);
    need(::pipe(from) == 0);
    pid_ = ::fork();
    need(pid_ >= 0);
    if (pid_ == 0) {
      ::dup2(to[0], STDIN_FILENO);
      ::dup2(from[1], STDOUT_FILENO);
      for (const int fd : {to[0], to[1], from[0], from[1]}) ::close(fd);
      ::execl(program, program, "editor", nullptr);
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
      need(::poll(watched, 2, 20'000) > 0);
      if (watched[1].revents != 0) read_some();
      if (watched[0].revents == 0) continue;
      const ssize_t count = ::write(to_, bytes.data(), bytes.size());
      need(count > 0);
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
    throw std::runtime_error("the message did not come");
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
    need(::waitpid(pid_, &status, 0) == pid_);
    pid_ = -1;
    return WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
  }

 private:
  static void need(bool holds) {
    if (!holds) throw std::runtime_error("the editor's process does not do as it should");
  }
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

}  // namespace greymet::test
