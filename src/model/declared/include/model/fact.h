// Facts of the plant that durations depend on: which there are, whose they are, and values of them
// that stand for what a plan states or leaves out.
#pragma once

#include <compare>
#include <cstddef>
#include <cstdint>
#include <map>
#include <string>
#include <variant>

#include "model/network.h"

namespace greymet::model {

// What is known of a line, gateway, slave, or of a controller that answers.
enum class FactKind : std::uint8_t {
  // of devices and networks
  reply,
  rtt,
  gateway_delay,
  retransmission,
  character_gap,
  slave_pause,
  scans,
  latency,
  // settings of masters and boxes
  timeout,
  retries,
  connect_timeout,
  line_pause,
  turnaround,
  timeout_to,
  order,
  framing,
  on_silence,
  in_flight,
  connect,
  sends,
  jitter,
};
inline constexpr std::size_t fact_kinds = 21;

enum class FactOwner : std::uint8_t { line, gateway, slave, answer, controller };

// One fact: `index` into the plan's list of its owner's kind; an answer's `part` is its place in
// the list of its controller.
struct FactId {
  FactKind kind = FactKind::reply;
  FactOwner owner = FactOwner::slave;
  std::size_t index = 0;
  std::size_t part = 0;
  friend auto operator<=>(const FactId&, const FactId&) = default;
  friend bool operator==(const FactId&, const FactId&) = default;
};

// Whole numbers stand for the words of an enumeration too.
using FactValue = std::variant<Duration, Delay, std::int64_t, double>;
// Values that stand for what the plan states or leaves out: measured ones, or tried ones.
using Overrides = std::map<FactId, FactValue>;

// What a run or a rehearsal measured.
struct MeasuredFact {
  FactValue value;
  FactValue before;  // what the plan states, or what was assumed
  bool stated = false;
  std::uint64_t answers = 0;  // that it is the longest of
};
struct Measurement {
  std::string source;  // the file
  std::map<FactId, MeasuredFact> facts;
};

}  // namespace greymet::model
