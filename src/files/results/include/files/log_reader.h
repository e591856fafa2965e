// Values out of a log of run or rehearse: the words of each good request, decoded with the plan.
#pragma once

#include <fstream>
#include <map>
#include <optional>
#include <string>
#include <tl/expected.hpp>
#include <utility>
#include <vector>

#include "files/file_source.h"
#include "model/resolved_plan.h"

namespace greymet::files {

// Where a followed value lies in what a transaction carries.
struct TrendSource {
  std::size_t transaction = 0;
  std::size_t first = 0;  // word of the block, or bit of a block of bits
  std::size_t count = 1;
  bool is_write = false;
  model::Point as;  // type, scale, and the bit of a word
  model::WordOrder order = model::WordOrder::abcd;
};

// A point of a slave, or a word, bit or tag of a controller, that is followed through a log.
struct TrendPoint {
  std::string where;  // "slave.point", "controller.%MW100.3"
  std::string unit;
  bool is_bit = false;
  std::optional<double> period_s;    // the shortest in which it is read; nothing for triggers
  std::vector<TrendSource> sources;  // empty: no transaction carries it
};
// Fails with one line: no such place, or one that has no number.
[[nodiscard]] tl::expected<TrendPoint, std::string> trend_point(const model::ResolvedPlan& plan,
                                                                const std::string& where);

// Its values, in the order of the log.
struct Trend {
  TrendPoint of;
  std::vector<double> time_s;  // as read
  std::vector<double> value;
  std::vector<double> write_time_s;  // as written
  std::vector<double> written;
  // Between two samples nothing was known of it: a request for it was not answered well, or none
  // was for two and a half of its periods. Both times are those of samples.
  std::vector<std::pair<double, double>> gaps;
  bool failing = false;  // a request for it has failed since its last sample
};
struct TrendSummary {
  double least = 0;
  double most = 0;
  double mean = 0;
  double longest_gap_s = 0;  // between two samples, gap or not; to the end of the log if it fails
};
// Nothing without samples. `end_s`: of the log.
[[nodiscard]] std::optional<TrendSummary> summary_of(const Trend& trend, double end_s);
// With the one that has not ended.
[[nodiscard]] std::vector<std::pair<double, double>> gaps_of(const Trend& trend, double end_s);

// One act of the rehearsal that wrote the log.
struct TrendAct {
  std::string name;
  double from_s = 0;
  double to_s = 0;
};
// Out of the rehearse.json beside the log; empty where there is none.
[[nodiscard]] std::vector<TrendAct> acts_beside(const std::string& log);

// What a log holds of the points that were asked for.
struct LogTrends {
  std::vector<Trend> trends;  // as asked for
  std::vector<TrendAct> acts;
  double end_s = 0;  // of its last row
  std::size_t rows = 0;
  std::size_t unreadable = 0;  // rows that are none, as where a program was killed
};

// A log that may still be growing. Reads it piece by piece, whatever its size, and whole lines
// alone. One thread.
class TrendLog {
 public:
  // Keeps a reference to the plan. Fails where it cannot be opened or is no log.
  [[nodiscard]] static tl::expected<TrendLog, FileError> open(const std::string& path,
                                                              const model::ResolvedPlan& plan,
                                                              std::vector<TrendPoint> points);
  // What has been added to it since; true if there was something.
  bool read_on();
  // A last line without its end was being written when its program was killed: taken if it is a
  // row.
  void take_rest();
  [[nodiscard]] const LogTrends& trends() const { return trends_; }

 private:
  TrendLog(const model::ResolvedPlan& plan, std::vector<TrendPoint> points);
  void read(const std::string& lines);
  [[nodiscard]] bool take(const std::vector<std::string_view>& row);

  std::string path_;
  std::ifstream in_;
  std::string begun_;  // of a line
  std::map<std::string, std::size_t, std::less<>> by_name_;
  // Per transaction: trend, and source of it.
  std::vector<std::vector<std::pair<std::size_t, std::size_t>>> carried_;
  LogTrends trends_;
};

}  // namespace greymet::files
