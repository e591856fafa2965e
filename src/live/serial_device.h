// Serial devices and pseudo-terminals as file descriptors. Not for use outside this folder.
#pragma once

#include <string>
#include <tl/expected.hpp>

#include "live/runtime.h"
#include "model/exchange.h"

namespace greymet::live::internal {

// A serial device, raw, with the settings of the line, not blocking, for this program alone. A
// pseudo-terminal takes any settings. Fails where the device does not take them.
[[nodiscard]] tl::expected<int, LiveError> open_serial(const std::string& device,
                                                       const model::ExchangeLine& line);

// A pseudo-terminal: our end, and the device that stands for the line. `keeper` holds the other
// end open, as ours could not be read without.
struct PseudoTerminal {
  int ours = -1;
  int keeper = -1;
  std::string device;
};
[[nodiscard]] tl::expected<PseudoTerminal, LiveError> open_pseudo_terminal();

}  // namespace greymet::live::internal
