#include "keys_of_tables.h"

#include <array>
#include <utility>
#include <vector>

#include <fmt/format.h>

namespace greymet::files::internal {
namespace {

using Keys = std::pair<std::string_view, std::vector<std::string_view>>;

const std::vector<Keys>& tables() {
  static const std::vector<Keys> all{
      {"[plan]", {"title", "revision"}},
      {"[controller.NAME]",
       {"scan", "sends", "jitter", "address", "model", "router", "in_flight", "answers", "memory",
        "word_order", "tags", "tool_counts", "tool_times", "fingerprint"}},
      {"an entry of `answers`",
       {"allows", "connections", "port", "line", "unit", "timeout", "retries", "rtt"}},
      {"an area of [controller.NAME.memory]",
       {"kind", "first", "count", "serves", "inside", "width", "radix"}},
      {"[line.NAME]",
       {"master", "via", "port", "medium", "mode", "baud", "format", "timeout", "retries", "pause",
        "turnaround", "timeout_to", "latency", "character_gap", "order", "park", "length_m",
        "stub_m"}},
      {"[gateway.NAME]",
       {"host", "port", "timeout", "retries", "connections", "in_flight", "framing", "on_silence",
        "delay", "rtt"}},
      {"[slave.NAME]", {"line",           "unit",          "map",
                        "numbering",      "word_order",    "reply",
                        "scans",          "settings",      "functions",
                        "max_read",       "max_write",     "max_read_bits",
                        "holes",          "map_covers",    "watchdog",
                        "watchdog_by",    "unit_load",     "assumed",
                        "pause",          "host",          "port",
                        "timeout",        "retries",       "connect_timeout",
                        "routed",         "rtt",           "connections",
                        "idle",           "connect",       "in_flight",
                        "retransmission", "character_gap", "max_write_bits",
                        "like",           "offset",        "counts",
                        "count"}},
      {"[exchange]", {"transactions", "copies", "wants", "table"}},
      {"a transaction",
       {"fc",      "at",      "count",  "points",  "into",       "from",  "read",
        "write",   "every",   "on",     "phase",   "phase_step", "alone", "min_gap",
        "only_if", "on_loss", "status", "packing", "relays",     "swap",  "value"}},
      {"[supervision]", {"heartbeats", "paths"}},
      {"a heartbeat", {"bit", "toggle", "watch", "react", "lost", "seen"}},
      {"a path", {"budget"}},
      {"[review]", {"accepts"}},
      {"an accept", {"rule", "why"}}};
  return all;
}

}  // namespace

std::string table_of_key(std::string_view key) {
  std::string text;
  for (const auto& [table, keys] : tables()) {
    for (const std::string_view each : keys) {
      if (each == key) text += fmt::format("{}{}", text.empty() ? "" : " or ", table);
    }
  }
  return text.empty() ? text : fmt::format("`{}` belongs to {}", key, text);
}

}  // namespace greymet::files::internal
