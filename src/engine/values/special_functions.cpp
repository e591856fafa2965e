#include "special_functions.h"

#include <array>
#include <string_view>

namespace greymet::engine::internal {

using modbus::Bytes;
using modbus::ByteView;
using modbus::ExceptionCode;
using Result = tl::expected<Bytes, ExceptionCode>;

namespace {

constexpr std::uint8_t read_exception_status = 7;
constexpr std::uint8_t diagnostics = 8;
constexpr std::uint8_t read_fifo_queue = 24;
constexpr std::uint8_t encapsulated = 43;
constexpr unsigned device_identification = 14;

unsigned word_at(ByteView pdu, std::size_t at) {
  return std::to_integer<unsigned>(pdu[at]) << 8U | std::to_integer<unsigned>(pdu[at + 1]);
}
void add_byte(Bytes& out, unsigned value) {
  out.push_back(static_cast<std::byte>(value & 0xffU));
}
void add_word(Bytes& out, unsigned value) {
  add_byte(out, value >> 8U);
  add_byte(out, value);
}

// V1.1b3, section 6.8: the sub-function and its data come back, or the counter asked for.
std::optional<Result> diagnose(ByteView pdu, AnswerCounters& counters) {
  enum Sub : unsigned {
    return_query = 0,
    restart = 1,
    diagnostic_register = 2,
    listen_only = 4,
    clear = 10,
    bus_messages = 11,
    bus_errors = 12,
    exceptions = 13,
    messages = 14,
    no_response = 15,
    nak = 16,
    busy = 17,
    overrun = 18,
  };
  if (pdu.size() < 5) return tl::unexpected(ExceptionCode::illegal_data_value);
  const unsigned sub = word_at(pdu, 1);
  const bool was_silent = counters.listen_only;
  if (sub == restart) {
    if (word_at(pdu, 3) != 0 && word_at(pdu, 3) != 0xFF00) {
      return tl::unexpected(ExceptionCode::illegal_data_value);
    }
    counters = {};
    if (was_silent) return std::nullopt;
    return Result(Bytes(pdu.begin(), pdu.end()));
  }
  if (was_silent) return std::nullopt;
  if (sub == return_query) return Result(Bytes(pdu.begin(), pdu.end()));
  if (pdu.size() != 5 || word_at(pdu, 3) != 0) {
    return tl::unexpected(ExceptionCode::illegal_data_value);
  }
  unsigned value = 0;
  switch (sub) {
    case listen_only: counters.listen_only = true; return std::nullopt;
    case clear: counters = {}; break;
    case bus_messages: value = counters.messages; break;
    case exceptions: value = counters.exceptions; break;
    case messages: value = counters.for_us; break;
    case no_response: value = counters.no_response; break;
    case diagnostic_register:
    case bus_errors:
    case nak:
    case busy:
    case overrun: break;  // nothing here can go wrong in these ways
    default: return tl::unexpected(ExceptionCode::illegal_function);
  }
  Bytes out(pdu.begin(), pdu.begin() + 3);
  add_word(out, value);
  return Result(std::move(out));
}

// V1.1b3, section 6.18: the register at the pointer holds how many follow, 31 at most.
Result read_queue(ByteView pdu, const RegisterImage& image) {
  constexpr unsigned most = 31;
  if (pdu.size() != 3) return tl::unexpected(ExceptionCode::illegal_data_value);
  const std::uint32_t pointer = word_at(pdu, 1);
  const auto area = model::Area::holding_register;
  if (!image.has(area, pointer, 1, false)) {
    return tl::unexpected(ExceptionCode::illegal_data_address);
  }
  const unsigned count = image.word(area, pointer);
  if (count > most) return tl::unexpected(ExceptionCode::illegal_data_value);
  if (count > 0 && (pointer + count >= model::addresses_per_area ||
                    !image.has(area, pointer + 1, count, false))) {
    return tl::unexpected(ExceptionCode::illegal_data_address);
  }
  Bytes out{std::byte{read_fifo_queue}};
  add_word(out, 2 + 2 * count);
  add_word(out, count);
  for (unsigned i = 1; i <= count; ++i) add_word(out, image.word(area, pointer + i));
  return out;
}

// V1.1b3, section 6.21: basic identification, as a stream or one object.
Result identify(ByteView pdu, const AnswerLimits& limits) {
  if (pdu.size() < 2 || std::to_integer<unsigned>(pdu[1]) != device_identification) {
    return tl::unexpected(ExceptionCode::illegal_function);
  }
  if (pdu.size() != 4) return tl::unexpected(ExceptionCode::illegal_data_value);
  const unsigned access = std::to_integer<unsigned>(pdu[2]);
  const unsigned object = std::to_integer<unsigned>(pdu[3]);
  if (access < 1 || access > 4) return tl::unexpected(ExceptionCode::illegal_data_value);
  const std::array<std::string_view, 3> objects{"simulated",
                                                std::string_view(limits.name).substr(0, 60), "1"};
  const bool single = access == 4;
  if (single && object >= objects.size()) {
    return tl::unexpected(ExceptionCode::illegal_data_address);
  }
  // an object nobody has begins at the first one
  const std::size_t from = object < objects.size() ? object : 0;
  const std::size_t end = single ? from + 1 : objects.size();
  constexpr unsigned conformity = 0x81;  // basic, one object or a stream
  Bytes out;
  for (const unsigned value : {unsigned{encapsulated}, device_identification, access, conformity,
                               0U, 0U, static_cast<unsigned>(end - from)}) {
    add_byte(out, value);
  }
  for (std::size_t i = from; i < end; ++i) {
    add_byte(out, static_cast<unsigned>(i));
    add_byte(out, static_cast<unsigned>(objects[i].size()));
    for (const char c : objects[i]) add_byte(out, static_cast<unsigned char>(c));
  }
  return out;
}

}  // namespace

bool is_special(std::uint8_t function, bool on_line) {
  const bool serial_only = function == read_exception_status || function == diagnostics;
  return (serial_only && on_line) || function == read_fifo_queue || function == encapsulated;
}

std::optional<Result> answer_special(ByteView pdu, const RegisterImage& image,
                                     const AnswerLimits& limits, AnswerCounters& counters) {
  const auto function = std::to_integer<std::uint8_t>(pdu[0]);
  if (function == diagnostics) return diagnose(pdu, counters);
  if (counters.listen_only) return std::nullopt;
  switch (function) {
    case read_fifo_queue: return read_queue(pdu, image);
    case encapsulated: return identify(pdu, limits);
    default: break;
  }
  if (pdu.size() != 1) return Result(tl::unexpected(ExceptionCode::illegal_data_value));
  return Result(Bytes{std::byte{read_exception_status}, std::byte{0}});
}

}  // namespace greymet::engine::internal
