#include "engine/probe_map.h"

#include <algorithm>

namespace greymet::engine {

namespace {

constexpr std::uint32_t at_a_time = 32;
constexpr std::uint32_t quarter = at_a_time / 4;

class MapProbe {
 public:
  MapProbe(PoliteDevice& device, model::Area area, std::uint32_t up_to)
      : device_(device), area_(area), up_to_(up_to) {}

  std::vector<FoundStretch> run() {
    for (std::uint32_t first = 0; first < up_to_ && !device_.gave_up(); first += at_a_time) {
      read(first, std::min(at_a_time, up_to_ - first));
    }
    return std::move(out_);
  }

 private:
  void keep(std::uint32_t first, const std::vector<std::uint16_t>& words) {
    if (out_.empty() || out_.back().first + out_.back().words.size() != first) {
      out_.push_back({area_, first, {}});
    }
    out_.back().words.insert(out_.back().words.end(), words.begin(), words.end());
  }

  [[nodiscard]] bool answers(std::uint32_t at) { return device_.ask({area_, at, 1}).is_good(); }

  // Some of the block is there, as far as its quarters tell.
  [[nodiscard]] bool is_worth_halving(std::uint32_t first, std::uint32_t count) {
    if (count < at_a_time) return true;
    for (std::uint32_t at = first; at < first + count; at += quarter) {
      if (answers(at)) return true;
    }
    // what goes on in the next block
    return answers(first + count - 1);
  }

  void read(std::uint32_t first, std::uint32_t count) {
    if (device_.gave_up()) return;
    const ProbeAnswer answer = device_.ask({area_, first, count});
    if (answer.is_good()) return keep(first, answer.words);
    if (count == 1 || !answer.is_refusal() || !is_worth_halving(first, count)) return;
    const std::uint32_t half = (count + 1) / 2;
    read(first, half);
    read(first + half, count - half);
  }

  PoliteDevice& device_;
  model::Area area_;
  std::uint32_t up_to_;
  std::vector<FoundStretch> out_;
};

void add_halves(model::Area area, std::uint32_t first, std::uint32_t count,
                std::vector<ProbeBlock>& out) {
  out.push_back({area, first, count});
  if (count == 1) return;
  const std::uint32_t half = (count + 1) / 2;
  add_halves(area, first, half, out);
  add_halves(area, first + half, count - half, out);
}

}  // namespace

std::vector<ProbeBlock> map_blocks(model::Area area, std::uint32_t up_to) {
  std::vector<ProbeBlock> out;
  for (std::uint32_t first = 0; first < up_to; first += at_a_time) {
    add_halves(area, first, std::min(at_a_time, up_to - first), out);
  }
  return out;
}

std::vector<FoundStretch> probe_map(PoliteDevice& device, model::Area area, std::uint32_t up_to) {
  return MapProbe(device, area, up_to).run();
}

}  // namespace greymet::engine
