// Frames as text.
#pragma once

#include <string>
#include <string_view>

#include "files/answers_json.h"

namespace greymet::cli {

struct Terminal;

// Bytes as they can be printed: characters in ASCII, pairs of digits elsewhere.
[[nodiscard]] std::string bytes_text(const modbus::Bytes& bytes, modbus::Framing framing);

// The bytes of one frame and, field by field, what they say; `what` is "request" or "reply".
[[nodiscard]] std::string part_text(std::string_view what, const modbus::Bytes& bytes,
                                    const modbus::Dissection& dissection, modbus::Framing framing,
                                    const Terminal& terminal);

// How long the transaction takes, and of what that is made up on a line.
[[nodiscard]] std::string times_text(const timing::TransactionTimes& times);

// What is wrong with the bytes of a frame, and which single byte would mend it.
[[nodiscard]] std::string problem_text(const files::FrameAnswer& answer, const modbus::Bytes& bytes,
                                       const modbus::Dissection& dissection,
                                       modbus::Direction direction);

}  // namespace greymet::cli
