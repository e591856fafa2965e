// One job of a master with everything looked up: what it asks, and which memory it moves.
#pragma once

#include <optional>
#include <vector>

#include "engine/controller_memory.h"
#include "modbus/pdu.h"
#include "model/resolved_plan.h"
#include "timing/timing_model.h"

namespace greymet::engine {

// Words of one value that change their order on the way.
struct Reordering {
  std::size_t first = 0;
  std::size_t count = 0;
  model::WordOrder from = model::WordOrder::abcd;
  model::WordOrder to = model::WordOrder::abcd;
};

struct PlannedJob {
  const model::ExchangeTransaction* transaction = nullptr;
  modbus::Request request;  // its data all 0
  std::optional<BitSequence> into;
  std::optional<BitSequence> from;
  std::optional<BitSequence> gate;
  std::vector<Reordering> read_order;
  std::vector<Reordering> write_order;
};

[[nodiscard]] PlannedJob plan_job(const model::ResolvedPlan& plan, const ControllerMemory& memory,
                                  const timing::Job& job);

// The request with the words and bits that the memory holds now.
[[nodiscard]] modbus::Request request_now(const PlannedJob& job, const ControllerMemory& memory);
// A reply with its values in the word order of the controller, and no bits beyond those asked for.
[[nodiscard]] modbus::Reply in_order_of_controller(const PlannedJob& job, modbus::Reply reply);
// What was read arrives in the memory.
void deliver(const PlannedJob& job, const modbus::Reply& reply, ControllerMemory& memory);
// Nothing could be read: zeros where the plan wants them.
void react_to_loss(const PlannedJob& job, ControllerMemory& memory);
// The status bits while the request is under way, and at its end.
void show_busy(const PlannedJob& job, ControllerMemory& memory);
void show_end(const PlannedJob& job, bool good, std::uint8_t exception, ControllerMemory& memory);

}  // namespace greymet::engine
