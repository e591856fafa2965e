// What a master may do and asks its driver to do.
#pragma once

#include <cstdint>

#include "modbus/frame.h"
#include "model/strong.h"

namespace greymet::engine {

using model::Duration;

// What the driver is to do, in this order.
struct MasterAction {
  enum class Kind : std::uint8_t { connect, send, close };
  Kind kind = Kind::send;
  std::size_t link = 0;  // into TimingModel::queues
  std::size_t job = 0;   // for whom
  modbus::Bytes bytes;
  Duration turn{};  // when that request's turn came, whatever the try
};

// What a master may do, and how patient it is. The defaults are those of a rehearsal.
struct MasterOptions {
  bool allow_writes = true;  // else transactions that write, function 23 included, are left out
  bool allow_broadcasts = true;
  bool only_known_values = false;  // a write is left out until every word it sends is known
  bool triggers_always = false;    // as if every trigger came as often as `min_gap` allows
  bool ignore_gates = false;       // as if every `only_if` bit were set
  // A serial line takes its time: what arrives before a request can have been sent is an echo.
  bool lines_take_time = true;
  Duration silence = std::chrono::milliseconds(20);  // see FrameReceiver
  Duration late_answers = std::chrono::seconds(2);   // the horizon of LateAnswers
  // TCP: the first transaction number of each connection of the plan.
  std::uint16_t first_number = 1;
  Duration first_back_off = std::chrono::milliseconds(100);  // of a connection that was refused
  Duration most_back_off = std::chrono::seconds(5);
};

}  // namespace greymet::engine
