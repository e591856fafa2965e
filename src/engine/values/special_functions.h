// Functions that move no registers or bits of a plan: 7, 8, 24 and 43. Not for use outside this
// folder.
#pragma once

#include <optional>
#include <tl/expected.hpp>

#include "engine/register_image.h"

namespace greymet::engine::internal {

// On TCP functions 7 and 8 do not exist.
[[nodiscard]] bool is_special(std::uint8_t function, bool on_line);

// The reply, or the exception to refuse with; nothing where nobody answers.
[[nodiscard]] std::optional<tl::expected<modbus::Bytes, modbus::ExceptionCode>> answer_special(
    modbus::ByteView pdu, const RegisterImage& image, const AnswerLimits& limits,
    AnswerCounters& counters);

}  // namespace greymet::engine::internal
