// What happens between frames: the longest silences with who is behind them, and every exchange of
// a stretch of time that somebody wants to see.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <unordered_map>
#include <utility>
#include <vector>

#include "capture/asked.h"
#include "model/strong.h"

namespace greymet::capture {

using model::Duration;

// Why nothing was on the wire.
enum class SilenceKind : std::uint8_t {
  no_answer,    // somebody was asked, and did not answer before the next question
  slow_answer,  // somebody was asked, and took so long
  nobody_asks,  // of a line: the master asked nothing
};
// "no answer", "slow answer", "nobody asks"
[[nodiscard]] std::string_view to_string(SilenceKind kind);

struct Silence {
  SilenceKind kind = SilenceKind::no_answer;
  AskKey asked;     // what was asked last
  Duration from{};  // since the first frame of the capture
  Duration length{};
};

// A request with its answer, in the time of the capture.
struct SeenExchange {
  AskKey asked;
  std::pair<Duration, Duration> request;  // first and last byte, since the first frame
  std::optional<std::pair<Duration, Duration>> reply;
  bool refused = false;
};

// Constant memory. Told of all frames in the order of the capture.
class WireWatch {
 public:
  static constexpr std::size_t most_silences = 10;     // kept of each kind
  static constexpr std::size_t most_exchanges = 5000;  // kept of the window

  // Keeps the exchanges that are on a wire between these instants since the first frame.
  void keep(Duration from, Duration until) { window_ = std::pair(from, until); }

  // `was_waiting`: what was asked before on this link has not been answered.
  void request(std::uint64_t link, const AskKey& asked, std::pair<Duration, Duration> when,
               bool is_line, bool was_waiting);
  void reply(std::uint64_t link, const AskKey& asked, std::pair<Duration, Duration> when,
             bool refused);

  // The longest first.
  [[nodiscard]] std::vector<Silence> silences() const;
  [[nodiscard]] const std::vector<SeenExchange>& exchanges() const { return exchanges_; }

 private:
  struct Last {
    AskKey asked;
    Duration end{};
    std::optional<std::size_t> exchange;  // of the last request, where it is kept
  };
  void note(SilenceKind kind, const Last& last, Duration until);

  std::unordered_map<std::uint64_t, Last> last_;  // by link
  std::vector<Silence> no_answer_, slow_answer_, nobody_asks_;
  std::optional<std::pair<Duration, Duration>> window_;
  std::vector<SeenExchange> exchanges_;
};

}  // namespace greymet::capture
