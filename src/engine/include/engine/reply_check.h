// Whether a frame answers a request: nothing of one reply is ever taken for another's.
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <string_view>
#include <variant>

#include "modbus/frame.h"

namespace greymet::engine {

// A request as it went out.
struct Asked {
  std::uint8_t unit = 0;
  std::uint16_t transaction = 0;  // TCP alone
  modbus::Request request;
  modbus::Framing framing = modbus::Framing::rtu;
  modbus::Bytes bytes;  // the whole frame
};

// What is wrong with a good frame that does not answer the request, or with bytes that are none.
enum class Oddity : std::uint8_t {
  noise,
  bad_checksum,
  cut_short,
  bad_protocol,
  absurd_length,
  echo,  // the own request
  wrong_unit,
  wrong_function,
  wrong_length,       // other registers, bits or echoed fields than asked for
  wrong_transaction,  // TCP: not the number of a request under way; late, or nobody's
  unasked,            // nothing was asked
  ambiguous,          // may as well be the late answer to an earlier request
  too_early,          // older than the question: came before it can have been heard
};
inline constexpr std::size_t oddity_kinds = 13;
[[nodiscard]] std::array<Oddity, oddity_kinds> all_oddities();
// "noise", "bad checksum", "cut short", "the own request", "another unit" ...
[[nodiscard]] std::string_view to_string(Oddity oddity);

// How often each came.
class OddityCounts {
 public:
  void add(Oddity oddity) { ++of_[static_cast<std::size_t>(oddity)]; }
  [[nodiscard]] std::uint64_t of(Oddity oddity) const {
    return of_[static_cast<std::size_t>(oddity)];
  }
  [[nodiscard]] std::uint64_t total() const;

 private:
  std::array<std::uint64_t, oddity_kinds> of_{};
};

using Answer = std::variant<modbus::Reply, modbus::ExceptionReply>;

// The answer in the frame, or why it is none to this request.
[[nodiscard]] std::variant<Answer, Oddity> answer_in(const modbus::Frame& frame,
                                                     const Asked& asked);

// Some answer with data fits both questions.
[[nodiscard]] bool answered_alike(const Asked& one, const Asked& other);

// A good answer to this request has the same bytes as the request: functions 5, 6 and 22.
[[nodiscard]] bool answered_by_echo(const modbus::Request& request);

}  // namespace greymet::engine
