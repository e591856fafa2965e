// What goes wrong on purpose: a script of faults, and what they make of replies.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <random>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "modbus/frame.h"
#include "model/exchange.h"

namespace greymet::engine {

using model::Duration;

// What can be wrong with who answers.
enum class FaultKind : std::uint8_t {
  silent,          // no reply
  slow,            // the reply comes later by `time`
  garbled,         // of `share` of the replies one bit is flipped; on TCP in the header
  exception,       // every request is refused with `code`
  wrong_unit,      // the reply bears another unit
  wrong_function,  // the reply bears another function
  cut,             // the reply ends too early
  echo,            // the request itself comes back first
  noise,           // bytes that mean nothing come first
  late,            // the reply comes after the timeout
  drop,            // TCP: the connection is closed instead of a reply
  refuse,          // TCP: no connection is taken
  restart,         // once: memory as at the start, connections closed
};
// As a script names them: "silent", "slow", "garbled", "exception", "wrong-unit",
// "wrong-function", "short", "echo", "noise", "late", "drop", "refuse", "restart".
[[nodiscard]] std::string_view to_string(FaultKind kind);
[[nodiscard]] std::vector<std::string_view> fault_kinds();
[[nodiscard]] std::optional<FaultKind> fault_kind_from(std::string_view text);

// One row: from `at` until `until` every reply of that slave (or controller that answers).
struct Fault {
  Duration at{};
  Duration until = Duration::max();
  bool is_peer = false;
  std::size_t index = 0;  // into the plan's slaves, or controllers
  FaultKind kind = FaultKind::silent;
  double share = 1;       // garbled
  Duration time{};        // slow; late: behind the request, 0 for one and a half timeouts
  std::uint8_t code = 4;  // exception
};

// The faults of one who answers at one time. Nothing is active in a default one.
struct Effects {
  bool silent = false;
  bool drop = false;
  bool refuse = false;
  bool wrong_unit = false;
  bool wrong_function = false;
  bool cut = false;
  bool echo = false;
  bool noise = false;
  bool late = false;
  Duration late_by{};
  Duration slow{};
  double garbled = 0;
  std::optional<std::uint8_t> exception;
};

// A script, quick to ask.
class FaultScript {
 public:
  FaultScript() = default;
  explicit FaultScript(std::vector<Fault> rows);
  [[nodiscard]] Effects at(const model::Target& target, Duration now) const;
  [[nodiscard]] const std::vector<Fault>& rows() const { return rows_; }

 private:
  struct OfOne {
    std::vector<Fault> by_start;
    std::vector<Duration> ended_by;  // parallel: the last end of this and all before
  };
  std::vector<Fault> rows_;
  std::map<std::pair<bool, std::size_t>, OfOne> of_;  // by is_peer, index
};

// What goes back instead of a reply.
struct FaultyReply {
  std::vector<modbus::Bytes> first;  // at once
  modbus::Bytes reply;               // empty: none
  Duration later{};                  // than it would have come
  bool drop = false;
  bool refusal = false;  // the reply is an exception
};
// `reply` is the PDU that would be answered. Random only where `garbled` and `noise` are.
[[nodiscard]] FaultyReply make_reply(const Effects& effects, const modbus::Frame& request,
                                     modbus::ByteView request_bytes, modbus::Bytes reply,
                                     modbus::Framing framing, Duration timeout,
                                     std::mt19937_64& random);

}  // namespace greymet::engine
