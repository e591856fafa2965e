// One request of a master from its turn to its end, and the state it is in.
//
//   Connecting -> Waiting -> Finishing                answered, or failed in its last try
//                    |  ^
//                    v  |
//                BetweenTries                        the try failed, there is another
#pragma once

#include <cstdint>
#include <optional>
#include <variant>
#include <vector>

#include "engine/reply_check.h"
#include "engine/request_record.h"

namespace greymet::engine {

// For a connection to be made; not sent yet.
struct Connecting {
  Duration deadline{};
};
// For the answer to the try that was sent last.
struct Waiting {
  Duration deadline{};
  Duration timeout{};  // the deadline as long as nothing has come
  bool echo_seen = false;
  std::size_t junk = 0;  // bytes that were no frame
};
// The try failed; at `ready` the next one is sent.
struct BetweenTries {
  Duration ready{};
};
// How it went is known; at `ready` the line or connection is free again.
struct Finishing {
  Duration ready{};
};
using RequestState = std::variant<Connecting, Waiting, BetweenTries, Finishing>;

// When a request in this state is to be looked at if nothing comes before.
[[nodiscard]] inline Duration due_at(const RequestState& state) {
  if (const auto* connecting = std::get_if<Connecting>(&state)) return connecting->deadline;
  if (const auto* waiting = std::get_if<Waiting>(&state)) return waiting->deadline;
  if (const auto* between = std::get_if<BetweenTries>(&state)) return between->ready;
  return std::get<Finishing>(state).ready;
}

// What came for a request that was no answer to take; each includes those before it.
enum class Heard : std::uint8_t {
  nothing,
  odd,        // something
  ambiguous,  // an answer that may be another request's
};

struct RequestUnderWay {
  std::uint64_t number = 0;  // of its own among all of its link
  std::size_t job = 0;
  Duration release{};
  Duration start{};
  Asked asked;
  std::int64_t tries = 0;  // sent so far
  std::int64_t most_tries = 1;
  RequestState state = Connecting{};
  Heard heard = Heard::nothing;
  Duration first_sent{};
  Duration sent{};
  Outcome outcome = Outcome::timeout;
  std::uint8_t exception = 0;
  Cause cause = Cause::no_reply;  // of the try that failed last
  Duration replied{};
  std::vector<std::uint16_t> words;
  std::optional<modbus::Reply> reply;  // to be seen by the program at its next scan

  [[nodiscard]] Waiting* waiting() { return std::get_if<Waiting>(&state); }
  [[nodiscard]] const Waiting* waiting() const { return std::get_if<Waiting>(&state); }
  void hear(Heard what, Cause why) {
    heard = std::max(heard, what);
    cause = why;
  }
  void add_junk(std::size_t bytes) {
    hear(Heard::odd, Cause::broken_frame);
    if (Waiting* now = waiting()) now->junk += bytes;
  }
};

}  // namespace greymet::engine
