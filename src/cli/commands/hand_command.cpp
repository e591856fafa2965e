// greymet hand
#include <algorithm>
#include <chrono>
#include <ctime>
#include <fstream>
#include <iostream>
#include <memory>
#include <stop_token>
#include <utility>

#include <poll.h>
#include <unistd.h>

#include <fmt/chrono.h>
#include <fmt/format.h>

#include "cli/print.h"
#include "cli/print_frame.h"
#include "cli/stop_signals.h"
#include "cli/wire_files.h"
#include "files/csv_text.h"
#include "files/endpoints_json.h"
#include "hand_value.h"
#include "line/command_line.h"
#include "modbus/pdu.h"
#include "model/duration_text.h"

namespace greymet::cli {

using engine::Outcome;
using engine::RequestRecord;
using internal::HandValue;
using model::Duration;

namespace {

// One row a request, behind what is there: who looked at what, and when.
class HandLog {
 public:
  explicit HandLog(const std::string& path) : path_(path) {
    if (path.empty()) return;
    const bool is_new = std::ifstream(path, std::ios::ate).tellg() <= 0;
    file_.open(path, std::ios::app | std::ios::binary);
    if (is_new) row({"time", "where", "what", "value", "words", "outcome", "reason"});
  }
  void add(const HandValue& value, std::string_view what, const RequestRecord& record) {
    const std::time_t now = std::chrono::system_clock::to_time_t(std::chrono::system_clock::now());
    std::string words;
    for (const std::uint16_t word : record.words) {
      words += fmt::format("{}{:04X}", words.empty() ? "" : " ", word);
    }
    const bool good = record.outcome == Outcome::good;
    row({fmt::format("{:%Y-%m-%dT%H:%M:%SZ}", fmt::gmtime(now)), value.where, std::string(what),
         good ? internal::value_text(value, record.words) : "", good ? words : "",
         std::string(to_string(record.outcome)),
         record.outcome == Outcome::exception
             ? std::string(modbus::exception_name(record.exception))
             : std::string(to_string(record.cause))});
  }
  [[nodiscard]] bool failed() const { return !path_.empty() && !file_; }

 private:
  void row(const std::vector<std::string>& cells) {
    if (path_.empty()) return;
    files::CsvWriter csv;
    csv.row(cells);
    file_ << csv.take() << std::flush;
  }
  std::string path_;
  std::ofstream file_;
};

std::string failure_text(const RequestRecord& record) {
  if (record.outcome == Outcome::exception) {
    return fmt::format("refused with exception {:02X}, {} (greymet explain {:02X})",
                       record.exception, modbus::exception_name(record.exception),
                       record.exception);
  }
  return fmt::format("{}, {} tr{}", to_string(record.cause), record.tries,
                     record.tries == 1 ? "y" : "ies");
}

// "burner.setpoint = 17.4 °C", "fan1.state = 2 running"
std::string value_line(const HandValue& value, const std::vector<std::uint16_t>& words) {
  const std::string name = internal::value_name(value, words);
  return fmt::format("{} = {}{}{}{}{}", shown(value.where),
                     shown(internal::value_text(value, words)), value.unit.empty() ? "" : " ",
                     shown(value.unit), name.empty() ? "" : " ", shown(name));
}

class ByHand {
 public:
  ByHand(const model::ResolvedPlan& plan, const HandValue& value, live::Hand& hand,
         const HandOptions& options, std::stop_token stop, HandLog& log, const Terminal& terminal)
      : plan_(plan),
        value_(value),
        hand_(hand),
        options_(options),
        stop_(std::move(stop)),
        log_(log),
        out_(terminal) {}

  int read_once() {
    show_frame("request", hand_.read_frame());
    const RequestRecord record = read();
    if (record.outcome != Outcome::good) return failed(record);
    out_.out << tinted(out_, Tint::bold, value_line(value_, record.words)) << "\n";
    for (const std::string& line : internal::readings_of(value_, record.words)) {
      out_.out << "  " << shown(line) << "\n";
    }
    out_.out << fmt::format("answered after {}\n", model::in_ms(record.end - record.start));
    return exit_fine;
  }

  // A meter: one line each time.
  int read_again_and_again(Duration every) {
    int status = exit_fine;
    for (std::int64_t i = 0; options_.times == 0 || i < options_.times; ++i) {
      if (i > 0 && !hand_.wait(every)) break;
      const RequestRecord record = read();
      if (record.outcome == Outcome::unfinished) break;
      const bool good = record.outcome == Outcome::good;
      status = good ? exit_fine : exit_findings;
      out_.out << (good ? value_line(value_, record.words)
                        : fmt::format("{}: {}", shown(value_.where), failure_text(record)))
               << "\n"
               << std::flush;
    }
    return status;
  }

  int write(const modbus::WrittenValue& written, const std::vector<std::uint16_t>& words) {
    const RequestRecord before = read();
    if (before.outcome != Outcome::good) {
      out_.out << "nothing was written: its value could not be read before\n";
      return failed(before);
    }
    out_.out << "now:     " << value_line(value_, before.words) << "\n";
    out_.out << fmt::format("written: {} = {}{}{}{}\n", shown(value_.where), shown(written.text),
                            value_.unit.empty() ? "" : " ", shown(value_.unit),
                            written.rounded ? ", rounded to what it can hold" : "");
    for (const std::string& other : internal::other_writers(plan_, value_)) {
      out_.out << "careful: " << shown(other) << ", and would overwrite this\n";
    }
    show_frame("request", hand_.write_frame(words));
    if (!options_.yes && !confirmed()) {
      out_.out << "nothing was written\n";
      return exit_findings;
    }
    const RequestRecord record = hand_.write(words);
    log_.add(value_, "write", record);
    if (record.outcome != Outcome::good) return failed(record);
    return look_back(words, before.words);
  }

 private:
  RequestRecord read() {
    RequestRecord record = hand_.read();
    log_.add(value_, "read", record);
    return record;
  }
  int failed(const RequestRecord& record) {
    out_.out << fmt::format("{}: {}\n", shown(value_.where), failure_text(record));
    return hand_.failure().empty() ? exit_findings : unreachable(out_, hand_.failure());
  }
  void show_frame(std::string_view what, const modbus::Bytes& bytes) {
    out_.out << part_text(what, bytes,
                          modbus::dissect(bytes, hand_.framing(), modbus::Direction::request),
                          hand_.framing(), out_)
             << "\n";
  }
  bool confirmed() {
    out_.out << "write it? (yes/no) " << std::flush;
    constexpr int look_ms = 50;  // Ctrl-C is an answer, too
    pollfd input{STDIN_FILENO, POLLIN, 0};
    while (::poll(&input, 1, look_ms) == 0) {
      if (stop_.stop_requested()) return false;
    }
    std::string answer;
    if (stop_.stop_requested() || !std::getline(std::cin, answer)) return false;
    return answer == "yes" || answer == "y";
  }
  // At once, and a second later: a value that springs back does so by then.
  int look_back(const std::vector<std::uint16_t>& words, const std::vector<std::uint16_t>& before) {
    for (const bool later : {false, true}) {
      if (later && !hand_.wait(std::chrono::seconds(1))) return exit_findings;
      const RequestRecord now = read();
      if (now.outcome != Outcome::good) {
        out_.out << "written and confirmed, but it could not be read back: ";
        return failed(now);
      }
      if (now.words == words) continue;
      out_.out << fmt::format(
          "{}: {}{}\n", later ? "a second later it is another" : "read back it is another",
          value_line(value_, now.words),
          now.words == before ? ", as it was before: it springs back, or was not taken" : "");
      return exit_findings;
    }
    out_.out << tinted(out_, Tint::green, "read back: " + value_line(value_, words))
             << ", and still so a second later\n";
    return exit_fine;
  }

  const model::ResolvedPlan& plan_;
  const HandValue& value_;
  live::Hand& hand_;
  const HandOptions& options_;
  std::stop_token stop_;
  HandLog& log_;
  const Terminal& out_;
};

// What stands on the line, taken apart.
struct HandWords {
  std::string plan;
  std::string where;
  std::optional<std::string> value;
};
tl::expected<HandWords, std::string> words_of(const HandOptions& options) {
  const std::size_t needed = options.at.empty() ? 2 : 1;
  if (options.words.size() < needed || options.words.size() > needed + 1) {
    return tl::unexpected(std::string(
        options.at.empty() ? "write PLAN WHERE [VALUE], e.g. maltings.toml burner.setpoint 120"
                           : "with --at write WHERE [VALUE], e.g. hr:10 120"));
  }
  HandWords out;
  if (options.at.empty()) out.plan = options.words[0];
  out.where = options.words[needed - 1];
  if (options.words.size() > needed) out.value = options.words[needed];
  return out;
}

UsablePlan plan_to_use(const HandOptions& options, const HandWords& words,
                       const Terminal& terminal) {
  if (options.at.empty()) return load_usable_plan(words.plan, terminal);
  UsablePlan usable;
  const auto text = internal::plan_without_plan(options);
  if (!text) {
    usable.refused = usage_error(terminal, text.error());
    return usable;
  }
  usable.loaded = files::load_plan("hand.toml", files::memory_files({{"hand.toml", *text}}));
  for (const model::Finding& f : usable.loaded.findings) {
    if (f.severity != model::Severity::error) continue;
    usable.refused = usage_error(terminal, f.message + (f.remedy.empty() ? "" : "; " + f.remedy));
    return usable;
  }
  return usable;
}

}  // namespace

int run_hand(const HandOptions& options, const Terminal& terminal) {
  const auto words = words_of(options);
  if (!words) return usage_error(terminal, words.error());
  std::optional<Duration> every;
  if (!options.every.empty()) {
    const auto period = model::parse_duration(options.every);
    if (period) every = *period;
    if (!every || *every <= Duration{}) {
      return usage_error(terminal, fmt::format("--every is '{}'; write a time, e.g. 500ms",
                                               shown(options.every.substr(0, 20))));
    }
    if (words->value) return usage_error(terminal, "--every is of reads; a write is done once");
  }
  if (options.times < 0 || (options.times > 0 && !every)) {
    return usage_error(terminal,
                       "--times is how often --every reads; write e.g. --every 1s --times 5");
  }
  if (words->value && options.count > 0) {
    return usage_error(terminal, "--count is of reads; what is written is as long as its type");
  }
  const UsablePlan usable = plan_to_use(options, *words, terminal);
  if (usable.refused) return *usable.refused;
  const model::ResolvedPlan& plan = usable.loaded.plan;
  auto value = internal::hand_value(plan, words->where, options);
  if (!value) return usage_error(terminal, value.error());
  std::optional<modbus::WrittenValue> written;
  std::vector<std::uint16_t> sent;
  if (words->value) {
    auto to_write = modbus::value_to_write(*words->value, value->form, options.force);
    if (!to_write) {
      return usage_error(terminal, to_write.error() + (options.force ? "" : "; nothing was sent"));
    }
    auto encoded = internal::words_to_write(plan, *value, *to_write, options.force);
    if (!encoded) return usage_error(terminal, encoded.error());
    if (!options.yes && ::isatty(STDIN_FILENO) == 0) {
      return usage_error(terminal, "a write asks before it goes out; in a script add --yes");
    }
    written = std::move(*to_write);
    sent = std::move(*encoded);
    value->block.writes = true;
  }
  live::HandOptions how;
  if (!options.endpoints.empty()) {
    const auto endpoints = read_endpoints_file(options.endpoints, plan, terminal);
    if (!endpoints) return exit_usage;
    how.endpoints = *endpoints;
  }
  const StopSignals signals;
  how.stop = signals.token();
  how.lines_take_time = !options.unpaced;
  auto hand = live::Hand::open(plan, {value->block}, how);
  if (!hand) return unreachable(terminal, hand.error().message);
  HandLog log(options.log);
  if (log.failed()) {
    return unreachable(terminal, fmt::format("{}: cannot be written", options.log));
  }
  ByHand by_hand(plan, *value, **hand, options, how.stop, log, terminal);
  int status = exit_fine;
  if (written) {
    status = by_hand.write(*written, sent);
  } else {
    status = every ? by_hand.read_again_and_again(*every) : by_hand.read_once();
  }
  if (log.failed()) {
    return unreachable(terminal, fmt::format("{}: cannot be written", options.log));
  }
  return status;
}

Action declare_hand(CLI::App& command, const Terminal& terminal) {
  const auto options = std::make_shared<HandOptions>();
  command
      .add_option("PLAN WHERE VALUE", options->words,
                  "the plan, slave.point or slave.hr:10, and what to write if anything; with --at "
                  "WHERE and VALUE alone")
      ->required();
  command
      .add_option("--endpoints", options->endpoints,
                  "where lines and hosts are, as serve writes it; else as the plan says")
      ->type_name("FILE");
  command.add_option("--at", options->at, "without a plan: host, host:port or serial device")
      ->type_name("PLACE");
  auto* const at = command.get_option("--at");
  command.add_option("--unit", options->unit, "with --at: unit of the slave")
      ->needs(at)
      ->check(CLI::Range(0, 255))
      ->type_name("N");
  command.add_option("--mode", options->mode, "with --at: rtu, ascii or tcp")->needs(at);
  command.add_option("--baud", options->baud, "with --at: of a serial device")
      ->needs(at)
      ->capture_default_str();
  command.add_option("--format", options->format, "with --at: of a serial device")
      ->needs(at)
      ->capture_default_str();
  command.add_option("--timeout", options->timeout, "with --at: how long to wait for a reply")
      ->needs(at)
      ->capture_default_str();
  command.add_option("--type", options->type, "how the registers are meant, as in a register map")
      ->type_name("TYPE");
  command.add_option("--order", options->order, "order of the words of long values")
      ->type_name("ORDER");
  command.add_option("--count", options->count, "registers or bits to read")->type_name("N");
  command.add_option("--every", options->every, "read again and again")->type_name("TIME");
  command.add_option("--times", options->times, "with --every: so often")->type_name("N");
  command.add_option("--log", options->log, "add a row for each request to this CSV")
      ->type_name("FILE");
  command.add_flag("--yes", options->yes, "write without asking");
  command.add_flag("--force", options->force,
                   "write beyond the map's range, and what it says can only be read");
  command.add_flag("--unpaced", options->unpaced,
                   "lines hand bytes on at once, as pseudo-terminals do that nobody paces");
  return [options, &terminal] { return run_hand(*options, terminal); };
}

}  // namespace greymet::cli
