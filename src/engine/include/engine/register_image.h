// What lies behind the addresses of whoever answers: registers and bits, as a master reaches them.
#pragma once

#include <cstdint>
#include <optional>
#include <vector>

#include "modbus/pdu.h"
#include "model/address.h"
#include "model/exchange.h"
#include "model/strong.h"

namespace greymet::engine {

using model::Duration;

// Registers and bits in four areas. Offsets and counts have been checked to lie below 65536.
class RegisterImage {
 public:
  RegisterImage() = default;
  RegisterImage(const RegisterImage&) = delete;
  RegisterImage& operator=(const RegisterImage&) = delete;
  virtual ~RegisterImage() = default;
  // The area has all of [offset, offset + count), for reading or for writing. If not, a request
  // is refused as a whole.
  [[nodiscard]] virtual bool has(model::Area area, std::uint32_t offset, std::uint32_t count,
                                 bool to_write) const = 0;
  // The function may write all of it; a device may take but some of those of the area.
  [[nodiscard]] virtual bool takes(model::FunctionCode /*function*/, model::Area /*area*/,
                                   std::uint32_t /*offset*/, std::uint32_t /*count*/) const {
    return true;
  }
  [[nodiscard]] virtual std::uint16_t word(model::Area area, std::uint32_t offset) const = 0;
  [[nodiscard]] virtual bool bit(model::Area area, std::uint32_t offset) const = 0;
  virtual void set_word(std::uint32_t offset, std::uint16_t value) = 0;  // holding registers
  virtual void set_bit(std::uint32_t offset, bool value) = 0;            // coils
};

// What whoever answers takes.
struct AnswerLimits {
  model::Accepts accepts;
  bool on_line = false;  // functions 7 and 8 are for serial lines alone
  std::string name;      // given as product name by function 43
};

// What it counts of itself (V1.1b3, section 6.8).
struct AnswerCounters {
  std::uint16_t messages = 0;    // requests to anybody on the line
  std::uint16_t for_us = 0;      // requests to it, broadcasts included
  std::uint16_t exceptions = 0;  // refusals
  std::uint16_t no_response = 0;
  bool listen_only = false;
};

// The reply PDU to any request PDU: V1.1b3, section 6, functions 1 to 8, 15, 16, 22, 23, 24 and 43
// with type 14; exceptions 1 (function), 3 (quantity and data), 2 (address), in that order.
// Nothing where the standard answers nothing: an empty request, listen only mode.
[[nodiscard]] std::optional<modbus::Bytes> answer_request(modbus::ByteView pdu,
                                                          RegisterImage& image,
                                                          const AnswerLimits& limits,
                                                          AnswerCounters& counters);

}  // namespace greymet::engine
