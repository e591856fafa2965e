// How a frame is wrapped on its way.
#pragma once

#include <cstdint>

namespace greymet::model {

// RTU and ASCII on serial lines (V1.02, sections 2.5.1 and 2.5.2), TCP with the MBAP header.
enum class Framing : std::uint8_t { rtu, ascii, tcp };

}  // namespace greymet::model
