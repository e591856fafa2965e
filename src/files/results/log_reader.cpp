#include "files/log_reader.h"

#include <algorithm>
#include <array>
#include <charconv>
#include <filesystem>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "engine/request_record.h"
#include "files/request_log.h"
#include "modbus/value_codec.h"
#include "model/address.h"

namespace greymet::files {

namespace {

std::optional<double> seconds_in(std::string_view text) {
  double value = 0;
  const char* end = text.data() + text.size();
  const auto [stop, error] = std::from_chars(text.data(), end, value);
  if (error != std::errc() || stop != end || !(value >= 0) || value > 1e9) return std::nullopt;
  return value;
}

// "00FF 1234"
std::optional<std::vector<std::uint16_t>> words_in(std::string_view text) {
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

// Rows of our own log have nothing in quotes but a transaction's name.
std::vector<std::string_view> cells_of(std::string_view line) {
  std::vector<std::string_view> cells;
  bool quoted = false;
  std::size_t from = 0;
  for (std::size_t i = 0; i <= line.size(); ++i) {
    if (i < line.size() && line[i] == '"') quoted = !quoted;
    if (i < line.size() && (line[i] != ',' || quoted)) continue;
    cells.push_back(line.substr(from, i - from));
    from = i + 1;
  }
  return cells;
}

// RFC 4180, section 2: quotes around, and twice within.
std::string unquoted(std::string_view cell) {
  if (cell.size() < 2 || !cell.starts_with('"')) return std::string(cell);
  std::string out;
  for (std::size_t i = 1; i + 1 < cell.size(); ++i) {
    out += cell[i];
    if (cell[i] == '"') ++i;
  }
  return out;
}

std::optional<double> number_in(const TrendSource& source,
                                const std::vector<std::uint16_t>& words) {
  if (source.first + source.count > words.size()) return std::nullopt;
  if (model::is_bit_area(source.as.address.area)) return words[source.first] != 0 ? 1.0 : 0.0;
  const auto own = std::span(words).subspan(source.first, source.count);
  const auto raw =
      modbus::decode_value(own, source.as.type, source.order, source.as.bit.value_or(0));
  if (!raw) return std::nullopt;
  if (const auto* truth = std::get_if<bool>(&*raw)) return *truth ? 1.0 : 0.0;
  return modbus::engineering_value(*raw, source.as);
}

constexpr double periods_of_a_gap = 2.5;

}  // namespace

std::optional<TrendSummary> summary_of(const Trend& trend, double end_s) {
  if (trend.value.empty()) return std::nullopt;
  TrendSummary out;
  out.least = out.most = trend.value.front();
  double sum = 0;
  for (std::size_t i = 0; i < trend.value.size(); ++i) {
    out.least = std::min(out.least, trend.value[i]);
    out.most = std::max(out.most, trend.value[i]);
    sum += trend.value[i];
    if (i > 0) {
      out.longest_gap_s = std::max(out.longest_gap_s, trend.time_s[i] - trend.time_s[i - 1]);
    }
  }
  out.mean = sum / static_cast<double>(trend.value.size());
  for (const auto& [from, to] : gaps_of(trend, end_s)) {
    out.longest_gap_s = std::max(out.longest_gap_s, to - from);
  }
  return out;
}

std::vector<std::pair<double, double>> gaps_of(const Trend& trend, double end_s) {
  auto gaps = trend.gaps;
  if (trend.failing && !trend.time_s.empty()) gaps.emplace_back(trend.time_s.back(), end_s);
  return gaps;
}

std::vector<TrendAct> acts_beside(const std::string& log) {
  const std::filesystem::path beside = std::filesystem::path(log).parent_path() / "rehearse.json";
  std::vector<TrendAct> out;
  const auto text = disk_files()(beside.string(), largest_map);
  if (!text) return out;
  const auto json = nlohmann::json::parse(*text, nullptr, false);
  const bool has_acts = json.is_object() && json.contains("acts") && json["acts"].is_array();
  if (!has_acts) return out;
  for (const auto& act : json["acts"]) {
    const bool whole = act.is_object() && act.contains("name") && act["name"].is_string() &&
                       act.contains("from_s") && act["from_s"].is_number() &&
                       act.contains("to_s") && act["to_s"].is_number();
    if (!whole) continue;
    out.push_back(
        {act["name"].get<std::string>(), act["from_s"].get<double>(), act["to_s"].get<double>()});
  }
  return out;
}

TrendLog::TrendLog(const model::ResolvedPlan& plan, std::vector<TrendPoint> points)
    : carried_(plan.transactions.size()) {
  for (const model::ExchangeTransaction& t : plan.exchange.transactions) {
    by_name_[t.name] = t.transaction;
  }
  for (TrendPoint& point : points) {
    for (std::size_t s = 0; s < point.sources.size(); ++s) {
      carried_[point.sources[s].transaction].emplace_back(trends_.trends.size(), s);
    }
    Trend trend;
    trend.of = std::move(point);
    trends_.trends.push_back(std::move(trend));
  }
}

tl::expected<TrendLog, FileError> TrendLog::open(const std::string& path,
                                                 const model::ResolvedPlan& plan,
                                                 std::vector<TrendPoint> points) {
  TrendLog log(plan, std::move(points));
  log.path_ = path;
  log.in_.open(path, std::ios::binary);
  std::string header;
  if (!log.in_ || !std::getline(log.in_, header)) {
    return tl::unexpected(FileError{"cannot be read, or is empty"});
  }
  std::string expected = request_log_header();
  while (expected.ends_with('\n') || expected.ends_with('\r')) expected.pop_back();
  if (header.ends_with('\r')) header.pop_back();
  // columns that came later may be missing
  constexpr std::string_view oldest =
      "time_s,transaction,slave,fc,tries,outcome,exception,response_ms,words";
  if (header != expected && header != oldest) {
    return tl::unexpected(
        FileError{fmt::format("is no log of run or rehearse, which begins with \"{}\"", expected)});
  }
  log.trends_.acts = acts_beside(path);
  return log;
}

bool TrendLog::read_on() {
  bool any = false;
  in_.clear();                         // the end of before may be none any more
  std::array<char, 1U << 16U> buffer;  // NOLINT(cppcoreguidelines-pro-type-member-init): written
  while (in_.read(buffer.data(), buffer.size()), in_.gcount() > 0) {
    begun_.append(buffer.data(), static_cast<std::size_t>(in_.gcount()));
    const std::size_t end = begun_.rfind('\n');
    if (end == std::string::npos) continue;
    read(begun_.substr(0, end));
    begun_.erase(0, end + 1);
    any = true;
  }
  return any;
}

void TrendLog::take_rest() {
  if (!begun_.empty()) read(std::exchange(begun_, {}));
}

// Lines without the end of the last one.
void TrendLog::read(const std::string& lines) {
  std::string_view rest = lines;
  while (true) {
    const std::size_t end = rest.find('\n');
    std::string_view line = rest.substr(0, end);
    if (line.ends_with('\r')) line.remove_suffix(1);
    if (!line.empty()) {
      ++trends_.rows;
      if (!take(cells_of(line))) ++trends_.unreadable;
    }
    if (end == std::string_view::npos) return;
    rest.remove_prefix(end + 1);
  }
}

bool TrendLog::take(const std::vector<std::string_view>& row) {
  enum Column : std::size_t { time = 0, transaction = 1, outcome = 5, words = 8 };
  if (row.size() < 6) return false;
  const std::string name = unquoted(row[transaction]);
  const auto at = by_name_.find(name);
  const auto when = seconds_in(row[time]);
  if (!when) return false;
  trends_.end_s = std::max(trends_.end_s, *when);
  const bool is_good = row[outcome] == to_string(engine::Outcome::good);
  if (at == by_name_.end()) return !is_good || name == "read by hand";
  if (!is_good) {
    const bool left_out = row[outcome] == to_string(engine::Outcome::left_out);
    for (const auto& [trend, source] : carried_[at->second]) {
      if (!left_out && !trends_.trends[trend].of.sources[source].is_write)
        trends_.trends[trend].failing = true;
    }
    return true;
  }
  const auto carried = words_in(row.size() > words ? row[words] : std::string_view());
  if (!carried) return false;
  for (const auto& [index, source] : carried_[at->second]) {
    Trend& trend = trends_.trends[index];
    const auto value = number_in(trend.of.sources[source], *carried);
    if (!value) continue;
    if (trend.of.sources[source].is_write) {
      trend.write_time_s.push_back(*when);
      trend.written.push_back(*value);
      continue;
    }
    if (!trend.time_s.empty()) {
      const double before = trend.time_s.back();
      const auto& period = trend.of.period_s;
      if (trend.failing || (period && *when - before > periods_of_a_gap * *period)) {
        trend.gaps.emplace_back(before, *when);
      }
    }
    trend.failing = false;
    trend.time_s.push_back(*when);
    trend.value.push_back(*value);
  }
  return true;
}

}  // namespace greymet::files
