// Values out of a log of run or rehearse: the words of each good request, decoded with the plan.
#pragma once

#include <string>
#include <tl/expected.hpp>
#include <vector>

#include "files/file_source.h"
#include "model/resolved_plan.h"

namespace greymet::files {

// A point of a slave that is followed through a log.
struct TrendPoint {
  std::size_t slave = 0;
  std::size_t point = 0;  // into the slave's map
  std::string where;      // "slave.point"
};

// Its values, in the order of the log.
struct Trend {
  TrendPoint of;
  std::string unit;
  std::vector<double> time_s;
  std::vector<double> value;
};

// What a log holds of the points that were asked for.
struct LogTrends {
  std::vector<Trend> trends;  // as asked for
  std::size_t rows = 0;
  std::size_t unreadable = 0;  // rows that are none, as where a program was killed
};

// Reads the log piece by piece, whatever its size. Fails where it cannot be opened or is no log.
[[nodiscard]] tl::expected<LogTrends, FileError> read_trends(const std::string& path,
                                                             const model::ResolvedPlan& plan,
                                                             const std::vector<TrendPoint>& points);

}  // namespace greymet::files
