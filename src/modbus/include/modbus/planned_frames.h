// The frames a planned transaction puts on the wire.
#pragma once

#include <optional>

#include "modbus/dissect.h"
#include "model/exchange.h"

namespace greymet::modbus {

// Request and expected reply of a transaction, as its master sends and receives them. Values are
// not known at the desk: all data are 0 but for what the plan says is always sent.
struct PlannedFrames {
  Framing framing = Framing::rtu;
  Bytes request;
  Bytes reply;                               // empty for a broadcast: nobody answers
  std::optional<std::uint16_t> reply_first;  // address of the first register or bit of the reply
};

// What the master asks, its data all 0 but for constants. Offsets and quantities must fit a
// request: see planned_frames().
[[nodiscard]] Request planned_request(const model::ExchangeTransaction& t);

// Fails with one line where the transaction asks for what no request carries.
[[nodiscard]] tl::expected<PlannedFrames, std::string> planned_frames(
    const model::ExchangeTransaction& t);
// The same with data; both must be what planned_request() and planned_reply() give but for values.
[[nodiscard]] tl::expected<PlannedFrames, std::string> planned_frames(
    const model::ExchangeTransaction& t, const Request& request, const Reply& reply);
// What the slave answers to it, values that are read all 0.
[[nodiscard]] Reply planned_reply(const Request& request);

}  // namespace greymet::modbus
