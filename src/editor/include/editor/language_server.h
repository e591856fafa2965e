// The Language Server Protocol 3.17 for plans, register maps and tables: messages in, messages out.
// No input, output or threads of its own.
#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "editor/features.h"
#include "editor/reading.h"

namespace greymet::editor {

// What the server says of itself, and where it finds words.
struct ServerWords {
  std::string version;
  KeyHelp key_help;
  // Where the text of a rule can be read, as a URI; empty where that is nowhere.
  std::function<std::string(model::RuleCode)> rule_link;
};

// For one thread. Whatever it is sent, it goes on: what is no message, or none that it knows, is
// answered with an error where an answer is due, and passed over else.
//
// Checking takes its time and is done by whoever runs the server, on any thread:
//     if (const auto task = server.next_check()) {
//       Reading reading = read_for_editor(*task); check_reading(reading, stop);
//       server.publish(std::make_shared<const Reading>(std::move(reading)));   // this thread
//     }
class LanguageServer {
 public:
  LanguageServer(files::FileSource disk, ServerWords words);
  ~LanguageServer();
  LanguageServer(const LanguageServer&) = delete;
  LanguageServer& operator=(const LanguageServer&) = delete;

  // The JSON of one message.
  void receive(std::string_view message);
  // The JSON of what is to be sent, in this order.
  [[nodiscard]] std::vector<std::string> take_outgoing();
  // Gives back what is not needed any more, which takes its time: when there is some.
  void tidy_up();

  // True while some plan was changed since its last check was begun.
  [[nodiscard]] bool wants_check() const;
  // The next one to be checked.
  [[nodiscard]] std::optional<ReadingTask> next_check();
  // What came of it. Findings of texts that have changed since are told all the same: the next
  // check corrects them. Readings of plans that nobody has open any more are dropped.
  void publish(std::shared_ptr<const Reading> reading);

  // The status to end with, once the editor has said so: 0, or 1 where it had not asked to shut
  // down before.
  [[nodiscard]] std::optional<int> exit_status() const;

 private:
  class Session;
  std::unique_ptr<Session> session_;
};

}  // namespace greymet::editor
