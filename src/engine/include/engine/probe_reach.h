// What a device lets be read: functions, holes of its map, the longest block; and how long it
// takes to answer.
#pragma once

#include <cstdint>
#include <optional>
#include <vector>

#include "engine/probe.h"
#include "model/register_map.h"

namespace greymet::engine {

// One read function: 1 to 4, by its area.
struct FunctionAnswer {
  model::Area area = model::Area::coil;
  ProbeBlock block;
  ProbeAnswer answer;
  // Exception 1 says that it is not there; any other answer that it is. Nothing: it was not to be
  // had.
  std::optional<bool> implemented;
};
// At the first point that the map has in the area, else at address 0.
[[nodiscard]] std::vector<ProbeBlock> function_blocks(const model::RegisterMap* map);
[[nodiscard]] std::vector<FunctionAnswer> probe_functions(PoliteDevice& device,
                                                          const model::RegisterMap* map);

// Registers or bits between points of the map, and the ones beside its first and last point.
struct HoleAnswer {
  ProbeBlock block;
  bool is_edge = false;  // beside the map, not inside it
  ProbeAnswer answer;
};
// The first gaps of each area, one request each: a gap longer than a request can carry by its
// begin.
[[nodiscard]] std::vector<HoleAnswer> hole_blocks(const model::RegisterMap& map);
[[nodiscard]] std::vector<HoleAnswer> probe_holes(PoliteDevice& device,
                                                  const model::RegisterMap& map);
// What all gaps inside the map did alike; nothing where some answer and some do not, or none was
// there to be asked.
[[nodiscard]] std::optional<model::Holes> holes_shown(const std::vector<HoleAnswer>& answers);

// How many registers, or bits, one request may read.
struct LengthAnswer {
  ProbeBlock block;                      // the longest that was answered; count 0: none
  std::optional<std::uint32_t> refused;  // the shortest that was refused for its quantity (3)
  std::optional<std::uint32_t> beyond;   // the shortest that ran into addresses it does not have
  bool is_standards = false;             // as long as the standard allows
};
// Counts that devices usually end at, from this register on.
[[nodiscard]] std::vector<ProbeBlock> length_blocks(model::Area area, std::uint32_t first);
[[nodiscard]] LengthAnswer probe_length(PoliteDevice& device, model::Area area,
                                        std::uint32_t first);

// Durations of the same request asked again and again, from its turn to its end; good ones alone.
struct TimesAnswer {
  std::size_t asked = 0;
  std::vector<Duration> durations;  // sorted
};
[[nodiscard]] TimesAnswer probe_times(PoliteDevice& device, const ProbeBlock& block,
                                      std::size_t times);

// What a device at a host bears at once. Others that are connected to it take their part.
struct AtOnceAnswer {
  std::int64_t requests = 0;                    // under way on one connection, all answered
  std::optional<std::int64_t> too_many;         // of which not all were
  std::int64_t connections = 0;                 // that stayed open, each answered
  std::optional<std::int64_t> last_connection;  // with which one failed
};
// How many are tried: few, as no plan needs more of one device.
inline constexpr std::int64_t most_at_once = 8;

}  // namespace greymet::engine
