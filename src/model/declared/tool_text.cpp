// What a person types into the tool of a controller.
#include <fmt/format.h>

#include "model/controller.h"

namespace greymet::model {

std::string to_type(const Controller& controller, Address address) {
  if (!controller.tool_counts) return {};
  switch (controller.tool_counts->value) {
    case ToolCounts::from_0: return fmt::format("{}", address.offset.value);
    case ToolCounts::from_1: return fmt::format("{}", address.offset.value + 1);
    case ToolCounts::reference: return reference5(address).value_or(reference6(address));
    case ToolCounts::reference6: return reference6(address);
    case ToolCounts::hex: return fmt::format("0x{:04X}", address.offset.value);
  }
  return {};
}

std::string to_type(const Controller& controller, Duration time) {
  if (!controller.tool_times || controller.tool_times->value <= Duration{}) return {};
  const auto step = controller.tool_times->value.count();
  if (time.count() % step == 0) return fmt::format("{}", time.count() / step);
  return fmt::format("{:.6g}", static_cast<double>(time.count()) / static_cast<double>(step));
}

}  // namespace greymet::model
