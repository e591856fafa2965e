#include "live/probe_hand.h"

#include <algorithm>

namespace greymet::live {

engine::ProbeAnswer HandDevice::ask(const engine::ProbeBlock& block) {
  const auto at = std::find(blocks_.begin(), blocks_.end(), block);
  if (at == blocks_.end()) return {};
  engine::RequestRecord record = hand_.read(static_cast<std::size_t>(at - blocks_.begin()));
  return {record.outcome, record.cause, record.exception, std::move(record.words),
          record.end - record.start};
}

}  // namespace greymet::live
