// What is kept of a request that has ended.
#pragma once

#include <cstdint>
#include <string_view>
#include <vector>

#include "model/strong.h"

namespace greymet::engine {

using model::Duration;

// How a request ended. Those that were sent are good, exception, timeout, bad or unfinished.
enum class Outcome : std::uint8_t {
  good,
  exception,
  timeout,
  bad,
  left_out,
  dropped,
  unfinished,  // under way, or still to be tried again, when everything ended
};
// "good", "exception", "timeout", "bad", "left-out", "dropped", "unfinished"
[[nodiscard]] std::string_view to_string(Outcome outcome);

// Why a request was not answered with what was asked for, as its master saw it.
enum class Cause : std::uint8_t {
  none,             // it was; or by an exception, whose code says why
  refused,          // the connection was refused
  unreachable,      // nobody took the connection in time
  closed,           // the other side closed the connection before it had answered
  no_reply,         // nothing came
  broken_frame,     // what came was no frame: its checksum, its length
  other_answer,     // what came was a frame, and no answer to this
  ambiguous,        // what came may be the late answer to an earlier request
  parked,           // its slave has not answered before, and is not asked for a while
  late_answer_due,  // the answer to an earlier request may still come
  not_allowed,      // writes, or broadcasts, are not
  no_value,         // of what it writes nobody has stated a value
  ended             // everything ended first
};
// "connection refused", "no reply", "broken frame" ...; empty for none.
[[nodiscard]] std::string_view to_string(Cause cause);

// One finished request, as the log keeps it.
struct RequestRecord {
  std::size_t transaction = 0;  // into ResolvedPlan::transactions
  std::size_t link = 0;         // into TimingModel::queues
  std::size_t job = 0;
  Duration release{};
  Duration start{};    // its turn came
  Duration replied{};  // last byte of the answer; the end where there was none
  // The words were looked up by the slave no earlier than this: the reply where only one try can
  // have been answered, else the first that can.
  Duration as_of{};
  Duration end{};  // the line or connection is free for the next one
  std::int64_t tries = 0;
  Outcome outcome = Outcome::good;
  std::uint8_t exception = 0;
  Cause cause = Cause::none;
  bool broadcast = false;
  std::vector<std::uint16_t> words;  // read, else written; bits in the lowest positions
};

}  // namespace greymet::engine
