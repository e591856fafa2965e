// What comes back when a frame reaches those who answer: the one answer for the virtual wires and
// the real ones. When it comes back is the wire's to say.
//
// Who is silent or refuses on purpose does nothing else with what it hears: no write of it counts.
#pragma once

#include <cstdint>
#include <optional>
#include <random>

#include "engine/faults.h"
#include "engine/field.h"

namespace greymet::engine {

// A frame that has arrived.
struct Question {
  const modbus::Frame& frame;  // its PDU is not empty
  modbus::ByteView bytes;      // as it came
  modbus::Framing framing = modbus::Framing::rtu;
  Duration at{};         // the instant at which it is carried out
  Duration faults_at{};  // the instant whose faults it meets
  Duration timeout{};    // of who asks: what is late comes after it
};

// Replies that were given.
struct ReplyCounts {
  std::uint64_t replies = 0;  // exceptions of whoever was asked included
  std::uint64_t exceptions = 0;
};

// Keeps references; all must outlive it. One thread.
class Responder {
 public:
  Responder(const model::ResolvedPlan& plan, Field& field, const FaultScript& faults)
      : plan_(plan), field_(field), faults_(faults) {}

  // A broadcast: all slaves of the line hear it and nobody answers.
  void tell_all(const Question& question, model::LineIndex line);
  // From who is asked directly.
  [[nodiscard]] FaultyReply answer(const Question& question, const model::Target& target,
                                   std::mt19937_64& random);
  struct FromLine {
    FaultyReply reply;
    bool in_time = true;  // else the gateway has waited for the slave in vain
  };
  // From the line behind a gateway. `translated`: the gateway speaks TCP to who asks, and answers
  // for a slave that does not; else it says nothing of its own. Echoes and noise stay on the line.
  [[nodiscard]] FromLine answer_from_line(const Question& question,
                                          std::optional<model::LineIndex> line,
                                          bool answers_for_silent, std::mt19937_64& random);
  [[nodiscard]] const ReplyCounts& counts() const { return counts_; }

 private:
  // Nothing: it hears and does not answer.
  [[nodiscard]] std::optional<FaultyReply> ask(const Question& question,
                                               const model::Target& target,
                                               std::mt19937_64& random);

  const model::ResolvedPlan& plan_;
  Field& field_;
  const FaultScript& faults_;
  ReplyCounts counts_;
};

}  // namespace greymet::engine
