// The words of what a write always sends.
#pragma once

#include <string>
#include <tl/expected.hpp>
#include <vector>

#include "modbus/pdu.h"
#include "modbus/value_codec.h"
#include "model/exchange.h"

namespace greymet::modbus {

// The raw value; fails with one line where the text is no such value, or beyond its type or range.
[[nodiscard]] tl::expected<RawValue, std::string> constant_raw(const model::SentConstant& constant);
// Its registers in that order; bits of a bit area as 0 and 1. A bit of one register: that bit
// alone.
[[nodiscard]] tl::expected<std::vector<std::uint16_t>, std::string> constant_words(
    const model::SentConstant& constant, model::WordOrder order);
// Puts all constants of a transaction, in the order of its receiver, into the data of its request.
// What does not fit is left as it was.
void put_constants(const model::ExchangeTransaction& t, Request& request);

}  // namespace greymet::modbus
