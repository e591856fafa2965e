// What was on the wire, beside the plan.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "tables/table.h"

namespace greymet::tables {

struct AuditRow {
  std::string name;
  std::optional<Duration> planned_period;
  std::uint64_t seen = 0;
  std::optional<double> period_mean_ms;
  std::optional<Duration> reply_median;
  std::optional<Duration> reply_p99;
  std::optional<Duration> bound;
  std::uint64_t exceptions = 0;
  std::uint64_t timeouts = 0;
  State verdict;
  std::string note;
};
struct UnplannedRow {
  std::string asked;
  std::vector<std::string> clients;
  std::uint64_t seen = 0;
  std::optional<double> period_mean_ms;
  std::uint64_t exceptions = 0;
  std::uint64_t timeouts = 0;
  std::string nearest;
};
struct ClientRow {
  std::string wire;
  std::string client;
  std::uint64_t requests = 0;
};

struct SilenceRow {
  std::string wire;
  Duration from{};
  Duration length{};
  State why;
  std::string asked;
  std::string transaction;
};

[[nodiscard]] Table silences_table(const std::vector<SilenceRow>& rows);
[[nodiscard]] Table audit_table(const std::vector<AuditRow>& rows);
[[nodiscard]] Table unplanned_table(const std::vector<UnplannedRow>& rows);
[[nodiscard]] Table clients_table(const std::vector<ClientRow>& rows);

}  // namespace greymet::tables
