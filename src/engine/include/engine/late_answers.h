// Answers that may still come on a wire whose frames bear no numbers (RTU and ASCII, on lines and
// through transparent gateways).
//
// There an answer that comes after its timeout looks like the answer to the next question of the
// same form. So an answer is another request's as well as long as one may still come to that one:
// it is then taken for neither. What is taken for granted: an answer comes at the latest a
// `horizon` after its request was given up, and a question that was answered in its only try is
// not answered again, unless a second answer was seen: then nothing is believed for a horizon.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <vector>

#include "engine/reply_check.h"
#include "model/strong.h"

namespace greymet::engine {

using model::Duration;

// One line or connection. Requests are told apart by numbers of the caller's; a request keeps its
// number in all its tries. Instants must not go back from call to call. One thread.
class LateAnswers {
 public:
  explicit LateAnswers(Duration horizon) : horizon_(horizon) {}

  // A try of the request was given up: its answer may still come.
  void given_up(std::uint64_t request, const Asked& asked, Duration now);
  // The request was answered. Where a try of it had been given up, another answer may come.
  void answered(std::uint64_t request, std::size_t job, const Asked& asked, Duration now);
  // A frame came that nobody took, or that may be two requests': what it may belong to comes late,
  // or twice, and is not asked for again until nothing of it can come any more.
  void stray(const modbus::Frame& frame, Duration now);

  // The frame, which answers `request`, may as well be the answer to another one.
  [[nodiscard]] bool may_be_anothers(std::uint64_t request, const modbus::Frame& frame,
                                     Duration now) const;
  // Until when this question is not to be asked, if it is not to be asked now.
  [[nodiscard]] std::optional<Duration> held_until(const Asked& asked, Duration now) const;
  // Something may still come from the unit.
  [[nodiscard]] bool expects(std::uint8_t unit, Duration now) const;

 private:
  struct Owed {
    std::uint64_t request = 0;
    Asked asked;
    Duration until{};
    bool held = false;
  };
  struct Answered {
    std::uint64_t request = 0;
    Asked asked;
    Duration at{};
  };
  void forget_old(Duration now);

  Duration horizon_;
  std::vector<Owed> owed_;
  std::map<std::size_t, Answered> last_answered_;  // per job
};

}  // namespace greymet::engine
