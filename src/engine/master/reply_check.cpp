#include "engine/reply_check.h"

#include <numeric>

namespace greymet::engine {

using modbus::ExceptionReply;
using modbus::Reply;
using modbus::Request;
using model::FunctionCode;

namespace {

// V1.1b3, sections 6.1 to 6.17: what a good reply repeats of its request, and how much it brings.
bool fits(const Reply& reply, const Request& request) {
  switch (request.function) {
    case FunctionCode::read_coils:
    case FunctionCode::read_discrete_inputs:
      return reply.bits.size() == (std::size_t{request.quantity} + 7) / 8 * 8;
    case FunctionCode::read_holding_registers:
    case FunctionCode::read_input_registers:
    case FunctionCode::read_write_multiple_registers:
      return reply.registers.size() == request.quantity;
    case FunctionCode::write_single_coil:
      return reply.offset == request.offset && reply.bits == request.bits;
    case FunctionCode::write_single_register:
    case FunctionCode::mask_write_register:
      return reply.offset == request.offset && reply.registers == request.registers;
    case FunctionCode::write_multiple_coils:
      return reply.offset == request.offset && reply.quantity == request.bits.size();
    case FunctionCode::write_multiple_registers:
      return reply.offset == request.offset && reply.quantity == request.registers.size();
  }
  return false;
}

}  // namespace

std::string_view to_string(Oddity oddity) {
  switch (oddity) {
    case Oddity::noise: return "noise";
    case Oddity::bad_checksum: return "bad checksum";
    case Oddity::cut_short: return "cut short";
    case Oddity::bad_protocol: return "another protocol";
    case Oddity::absurd_length: return "absurd length";
    case Oddity::echo: return "the own request";
    case Oddity::wrong_unit: return "another unit";
    case Oddity::wrong_function: return "another function";
    case Oddity::wrong_length: return "another length or address";
    case Oddity::wrong_transaction: return "another transaction number";
    case Oddity::unasked: return "nothing was asked";
    case Oddity::ambiguous: return "may be a late answer to an earlier request";
    case Oddity::too_early: return "older than the request";
  }
  return "";
}

std::array<Oddity, oddity_kinds> all_oddities() {
  std::array<Oddity, oddity_kinds> all{};
  for (std::size_t i = 0; i < oddity_kinds; ++i) all[i] = static_cast<Oddity>(i);
  return all;
}

std::uint64_t OddityCounts::total() const {
  return std::accumulate(of_.begin(), of_.end(), std::uint64_t{0});
}

std::variant<Answer, Oddity> answer_in(const modbus::Frame& frame, const Asked& asked) {
  if (asked.framing == modbus::Framing::tcp && frame.transaction != asked.transaction) {
    return Oddity::wrong_transaction;
  }
  if (frame.unit != asked.unit) return Oddity::wrong_unit;
  const unsigned code = frame.pdu.empty() ? 0 : std::to_integer<unsigned>(frame.pdu[0]);
  if ((code & ~unsigned{modbus::exception_flag}) !=
      static_cast<unsigned>(model::number_of(asked.request.function))) {
    return Oddity::wrong_function;
  }
  const auto reply = modbus::decode_reply(frame.pdu);
  if (!reply) return Oddity::wrong_length;
  if (const auto* refusal = std::get_if<ExceptionReply>(&*reply)) return Answer(*refusal);
  const Reply& good = std::get<Reply>(*reply);
  if (!fits(good, asked.request)) return Oddity::wrong_length;
  return Answer(good);
}

bool answered_alike(const Asked& one, const Asked& other) {
  const Request& a = one.request;
  const Request& b = other.request;
  if (one.unit != other.unit || a.function != b.function) return false;
  switch (a.function) {
    case FunctionCode::read_coils:
    case FunctionCode::read_discrete_inputs: return (a.quantity + 7) / 8 == (b.quantity + 7) / 8;
    case FunctionCode::read_holding_registers:
    case FunctionCode::read_input_registers:
    case FunctionCode::read_write_multiple_registers: return a.quantity == b.quantity;
    case FunctionCode::write_single_coil: return a.offset == b.offset && a.bits == b.bits;
    case FunctionCode::write_single_register:
    case FunctionCode::mask_write_register:
      return a.offset == b.offset && a.registers == b.registers;
    case FunctionCode::write_multiple_coils:
      return a.offset == b.offset && a.bits.size() == b.bits.size();
    case FunctionCode::write_multiple_registers:
      return a.offset == b.offset && a.registers.size() == b.registers.size();
  }
  return true;
}

bool answered_by_echo(const Request& request) {
  return request.function == FunctionCode::write_single_coil ||
         request.function == FunctionCode::write_single_register ||
         request.function == FunctionCode::mask_write_register;
}

}  // namespace greymet::engine
