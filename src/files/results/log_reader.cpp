#include "files/log_reader.h"

#include <charconv>
#include <fstream>
#include <map>
#include <optional>

#include <fmt/format.h>

#include "engine/point_values.h"
#include "files/csv_reader.h"
#include "files/request_log.h"

namespace greymet::files {

using engine::RequestRecord;

namespace {

constexpr std::size_t piece_bytes = std::size_t{1} << 20;

std::optional<double> seconds_in(const std::string& text) {
  double value = 0;
  const char* end = text.data() + text.size();
  const auto [stop, error] = std::from_chars(text.data(), end, value);
  if (error != std::errc() || stop != end || value < 0 || value > 1e9) return std::nullopt;
  return value;
}

// "00FF 1234"
std::optional<std::vector<std::uint16_t>> words_in(const std::string& text) {
  std::vector<std::uint16_t> words;
  for (std::size_t at = 0; at < text.size(); at += 5) {
    std::uint16_t word = 0;
    const char* begin = text.data() + at;
    if (text.size() - at < 4) return std::nullopt;
    const auto [stop, error] = std::from_chars(begin, begin + 4, word, 16);
    if (error != std::errc() || stop != begin + 4) return std::nullopt;
    if (at + 4 < text.size() && text[at + 4] != ' ') return std::nullopt;
    words.push_back(word);
  }
  return words;
}

class LogReader {
 public:
  LogReader(const model::ResolvedPlan& plan, const std::vector<TrendPoint>& points)
      : values_(plan) {
    for (const model::ExchangeTransaction& t : plan.exchange.transactions) {
      by_name_[t.name] = t.transaction;
    }
    for (const TrendPoint& point : points) {
      const engine::PointValue* value = values_.find(point.slave, point.point);
      seen_.push_back(value);
      out_.trends.push_back(
          {point, value != nullptr ? values_.point_of(*value).unit : std::string(), {}, {}});
    }
  }

  // Whole lines, the header row in front of them.
  void read(const std::string& text) {
    const auto table = read_csv(text, 0);
    if (!table) {
      ++out_.unreadable;
      return;
    }
    for (const std::vector<Cell>& row : table->rows) {
      ++out_.rows;
      if (!take(row)) ++out_.unreadable;
    }
  }
  LogTrends result() { return std::move(out_); }

 private:
  bool take(const std::vector<Cell>& row) {
    enum Column : std::size_t { time = 0, transaction = 1, outcome = 5, words = 8 };
    if (row.size() < 6) return false;
    if (row[outcome].text != to_string(engine::Outcome::good)) return true;
    const auto at = by_name_.find(row[transaction].text);
    const auto when = seconds_in(row[time].text);
    const auto values = words_in(row.size() > words ? row[words].text : std::string());
    if (at == by_name_.end() || !when || !values) return false;
    RequestRecord record;
    record.transaction = at->second;
    record.words = *values;
    record.as_of = model::Duration(++count_);  // tells what this row has set
    values_.add(record);
    for (std::size_t i = 0; i < seen_.size(); ++i) {
      if (seen_[i] == nullptr || seen_[i]->at != record.as_of) continue;
      const auto value = values_.number(*seen_[i]);
      if (!value) continue;
      out_.trends[i].time_s.push_back(*when);
      out_.trends[i].value.push_back(*value);
    }
    return true;
  }

  engine::PointValues values_;
  std::map<std::string, std::size_t> by_name_;
  std::vector<const engine::PointValue*> seen_;  // parallel to the trends; null: never read
  std::int64_t count_ = 0;
  LogTrends out_;
};

}  // namespace

tl::expected<LogTrends, FileError> read_trends(const std::string& path,
                                               const model::ResolvedPlan& plan,
                                               const std::vector<TrendPoint>& points) {
  std::ifstream in(path, std::ios::binary);
  std::string header;
  if (!in || !std::getline(in, header)) {
    return tl::unexpected(FileError{"cannot be read, or is empty"});
  }
  std::string expected = request_log_header();
  while (expected.ends_with('\n') || expected.ends_with('\r')) expected.pop_back();
  if (header.ends_with('\r')) header.pop_back();
  if (header != expected) {
    return tl::unexpected(
        FileError{fmt::format("is no log of run or rehearse, which begins with \"{}\"", expected)});
  }
  LogReader reader(plan, points);
  std::string piece = header + "\n";
  for (std::string line; std::getline(in, line);) {
    if (in.eof()) {
      // a last line without its end was being written when the program was killed
      if (!line.empty()) piece += line + "\n";
      break;
    }
    piece += line + "\n";
    if (piece.size() < piece_bytes) continue;
    reader.read(piece);
    piece = header + "\n";
  }
  reader.read(piece);
  return reader.result();
}

}  // namespace greymet::files
