// Values that come while a command runs: from files, from a file that is watched, from standard
// input. Not for use outside this folder.
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "cli/wire_files.h"
#include "engine/value_script.h"

namespace greymet::cli::internal {

// A row that can be read, but not used here; a finding each.
using RefusedRows = std::function<model::Findings(const std::vector<engine::StatedValue>&)>;

struct FeedOptions {
  std::vector<std::string> values;  // files, and "-" for standard input
  bool watch = false;               // take up what changes in the files
};

// What is wrong with a row that can be read: "where: message".
[[nodiscard]] model::Finding refused_row(const engine::ValueSpot& at, std::string message,
                                         std::string remedy);

// Rows are taken whole or not at all: a file that is half written, or wrong anywhere, is left as it
// was taken before, and that is said. One thread; never waits.
class ValueFeed {
 public:
  ValueFeed(const model::ResolvedPlan& plan, FeedOptions options, RefusedRows refused);

  // Reads the files; the exit status to end with where one cannot be used, after it has been said.
  [[nodiscard]] std::optional<int> begin(const Terminal& terminal);
  // What has come since, with what is to be told: a line each.
  void look(engine::Duration now, std::vector<std::string>& told);

  [[nodiscard]] engine::ValueScript& script() { return script_; }
  // All rows so far, in the order they came.
  [[nodiscard]] const std::vector<engine::StatedValue>& rows() const { return rows_; }
  // Values are typed into the terminal of standard input.
  [[nodiscard]] bool takes_keyboard() const;

 private:
  // What tells one state of a file from another.
  struct Stamp {
    std::int64_t seconds = 0;
    std::int64_t nanoseconds = 0;
    std::int64_t size = -1;
    std::uint64_t node = 0;
    friend bool operator==(const Stamp&, const Stamp&) = default;
  };
  struct Watched {
    std::string path;
    Stamp taken;
    Stamp seen;
    engine::Duration seen_at{};
    bool said = false;  // why this state of it is not taken
  };
  [[nodiscard]] static Stamp stamp_of(const std::string& path);
  void look_at(Watched& file, engine::Duration now, std::vector<std::string>& told);
  void read_input(engine::Duration now, std::vector<std::string>& told);
  void take_line(const std::string& line, engine::Duration now, std::vector<std::string>& told);

  const model::ResolvedPlan& plan_;
  FeedOptions options_;
  RefusedRows refused_;
  engine::ValueScript script_;
  std::vector<engine::StatedValue> rows_;
  std::vector<std::vector<engine::StatedValue>> tables_;  // parallel to watched_, as last taken
  std::vector<Watched> watched_;
  bool input_ = false;
  std::string begun_line_;
  std::uint32_t lines_ = 0;
};

}  // namespace greymet::cli::internal
