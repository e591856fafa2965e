#include "asking_memory.h"

#include <algorithm>

namespace greymet::model {

const MemoryLayout* asking_memory(const ResolvedPlan& resolved,
                                  const Declared<std::string>& controller,
                                  const std::string& slave) {
  const std::vector<Controller>& controllers = resolved.plan.controllers;
  if (controller) {
    for (std::size_t c = 0; c < controllers.size(); ++c) {
      if (controllers[c].name == controller->value) return &resolved.layouts[ControllerIndex(c)];
    }
    return nullptr;
  }
  for (std::size_t s = 0; s < resolved.plan.slaves.size(); ++s) {
    if (resolved.plan.slaves[s].name != slave) continue;
    const auto line = resolved.slave_line[SlaveIndex(s)];
    if (line && resolved.line_master[*line]) return &resolved.layouts[*resolved.line_master[*line]];
  }
  return controllers.size() == 1 ? &resolved.layouts[ControllerIndex(0)] : nullptr;
}

}  // namespace greymet::model
