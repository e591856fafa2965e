#include "value_feed.h"

#include <poll.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>

#include <fmt/format.h>

namespace greymet::cli::internal {

using engine::Duration;
using engine::StatedValue;

namespace {

constexpr std::size_t longest_line = 4096;
constexpr const char* input_name = "standard input";

// "values.csv:3:1: row 2: ...; remedy"
std::string told_finding(const std::string& path, const model::Finding& finding) {
  return fmt::format("{}:{}:{}: error: {}{}", path, finding.place.line, finding.place.column,
                     finding.message, finding.remedy.empty() ? "" : "; " + finding.remedy);
}

}  // namespace

model::Finding refused_row(const engine::ValueSpot& at, std::string message, std::string remedy) {
  model::Finding finding;
  finding.place = at.place;
  finding.message = fmt::format("{}: {}", at.where, message);
  finding.remedy = std::move(remedy);
  return finding;
}

ValueFeed::ValueFeed(const model::ResolvedPlan& plan, FeedOptions options, RefusedRows refused)
    : plan_(plan), options_(std::move(options)), refused_(std::move(refused)) {}

ValueFeed::Stamp ValueFeed::stamp_of(const std::string& path) {
  struct stat found {};
  if (::stat(path.c_str(), &found) != 0) return {};
  return {found.st_mtim.tv_sec, found.st_mtim.tv_nsec, found.st_size, found.st_ino};
}

std::optional<int> ValueFeed::begin(const Terminal& terminal) {
  const bool any_file = std::any_of(options_.values.begin(), options_.values.end(),
                                    [](const std::string& each) { return each != "-"; });
  if (options_.watch && !any_file) {
    return usage_error(terminal, "--watch is of use with files of --values alone");
  }
  for (const std::string& path : options_.values) {
    if (path == "-") {
      input_ = true;
      continue;
    }
    const Stamp stamp = stamp_of(path);
    auto table = read_table<StatedValue>(path, plan_, files::read_values, terminal);
    if (table.refused) return table.refused;
    const model::Findings findings = refused_(table.rows);
    if (!findings.empty()) {
      print_table_findings(path, findings, terminal);
      return exit_usage;
    }
    script_.add(table.rows, Duration{});
    rows_.insert(rows_.end(), table.rows.begin(), table.rows.end());
    if (!options_.watch) continue;
    watched_.push_back({path, stamp, stamp, {}, false});
    tables_.push_back(std::move(table.rows));
  }
  return std::nullopt;
}

bool ValueFeed::takes_keyboard() const {
  return input_ && ::isatty(STDIN_FILENO) != 0;
}

void ValueFeed::look(Duration now, std::vector<std::string>& told) {
  for (Watched& file : watched_) look_at(file, now, told);
  if (input_) read_input(now, told);
}

// A file is taken once it has not changed for a while: whoever writes it may be in the middle.
void ValueFeed::look_at(Watched& file, Duration now, std::vector<std::string>& told) {
  constexpr Duration quiet = std::chrono::milliseconds(300);
  const Stamp stamp = stamp_of(file.path);
  if (stamp == file.taken) return;
  if (!(stamp == file.seen)) {
    file.seen = stamp;
    file.seen_at = now;
    file.said = false;
    return;
  }
  if (now - file.seen_at < quiet || file.said) return;
  const auto say = [&](const std::string& what) {
    told.push_back(fmt::format("{}: {}; what it said before stays", file.path, what));
    file.said = true;
  };
  const auto text = files::disk_files()(file.path, files::largest_map);
  if (!text) return say("cannot be read any more");
  if (text->empty() || text->back() != '\n') return say("its last line has no end: not taken");
  auto rows = files::read_values(*text, 0, plan_);
  model::Findings findings = rows ? refused_(*rows) : rows.error();
  if (!findings.empty()) {
    constexpr std::size_t most_told = 5;
    for (std::size_t i = 0; i < findings.size() && i < most_told; ++i) {
      told.push_back(told_finding(file.path, findings[i]));
    }
    return say("not taken");
  }
  file.taken = stamp;
  std::vector<StatedValue>& before = tables_[static_cast<std::size_t>(&file - watched_.data())];
  std::vector<StatedValue> changed;
  for (const StatedValue& row : *rows) {
    if (!engine::is_stated_in(before, row)) changed.push_back(row);
  }
  before = std::move(*rows);
  script_.add(changed, now);
  rows_.insert(rows_.end(), changed.begin(), changed.end());
  if (changed.empty()) told.push_back(fmt::format("{}: nothing new in it", file.path));
}

void ValueFeed::read_input(Duration now, std::vector<std::string>& told) {
  std::array<char, 4096> buffer;  // NOLINT(cppcoreguidelines-pro-type-member-init): written
  constexpr int most_pieces = 16;
  for (int piece = 0; piece < most_pieces; ++piece) {
    pollfd ready{STDIN_FILENO, POLLIN, 0};
    if (::poll(&ready, 1, 0) != 1) return;
    const ssize_t bytes = ::read(STDIN_FILENO, buffer.data(), buffer.size());
    if (bytes < 0 && (errno == EINTR || errno == EAGAIN)) return;
    if (bytes <= 0) {
      input_ = false;
      if (!begun_line_.empty()) {
        told.push_back(
            fmt::format("{}:{}: the last line has no end: not taken", input_name, lines_ + 1));
      }
      return;
    }
    for (ssize_t i = 0; i < bytes; ++i) {
      const char c = buffer[static_cast<std::size_t>(i)];
      if (c != '\n') {
        // of a line that is too long one more than is looked at is kept
        if (begun_line_.size() <= longest_line) begun_line_ += c;
        continue;
      }
      ++lines_;
      take_line(std::exchange(begun_line_, {}), now, told);
    }
  }
}

void ValueFeed::take_line(const std::string& line, Duration now, std::vector<std::string>& told) {
  if (line.size() > longest_line) {
    told.push_back(fmt::format("{}:{}: longer than {} characters: not taken", input_name, lines_,
                               longest_line));
    return;
  }
  auto rows = files::read_value_line(line, lines_, plan_);
  const model::Findings findings = rows ? refused_(*rows) : rows.error();
  for (const model::Finding& each : findings) told.push_back(told_finding(input_name, each));
  if (!findings.empty()) return;
  script_.add(*rows, now);
  rows_.insert(rows_.end(), rows->begin(), rows->end());
}

}  // namespace greymet::cli::internal
