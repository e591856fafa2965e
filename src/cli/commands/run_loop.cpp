#include "run_loop.h"

#include <algorithm>

#include <fmt/format.h>

#include "engine/put_value.h"
#include "engine/run_verdict.h"
#include "modbus/pdu.h"
#include "model/duration_text.h"
#include "terminal/live_view.h"

namespace greymet::cli::internal {

using engine::Duration;

RunLoop::RunLoop(const RunParts& parts, const Terminal& terminal)
    : parts_(parts), terminal_(terminal) {
  for (std::size_t c = 0; c < parts.plan.layouts.size(); ++c) {
    memories_.push_back(&parts.runtime.memory(c));
  }
  for (const engine::Master& master : parts.runtime.masters()) masters_.push_back(&master);
}

void RunLoop::run(Duration length, bool until_met, bool on_screen) {
  live::Runtime& runtime = parts_.runtime;
  std::optional<LiveScreen> screen;
  LiveView view(parts_.plan, parts_.report);
  ValueHistory history(parts_.plan);
  on_screen_ = on_screen;
  if (on_screen) screen.emplace(terminal_);
  const Duration step = std::chrono::milliseconds(on_screen ? 100 : 50);
  const auto finished = [this](const engine::RequestRecord& record) {
    parts_.watch.add(record);
    if (parts_.log) parts_.log->add(record);
    if (on_screen_) note(record);
  };
  play();
  while (!runtime.stopped() && runtime.now() < length) {
    const Duration until = std::min(runtime.now() + step, parts_.feed.script().next());
    runtime.run_until(std::min(length, until), finished);
    play();
    if (parts_.log) parts_.log->tick(runtime.now());
    if (!on_screen && takes_lines(terminal_.err_fd)) tell_failure(parts_.log, terminal_);
    look();
    if (screen) {
      if (view.press(screen->keys())) break;
      history.look(runtime.now(), parts_.watch);
      const auto transactions = parts_.watch.transactions(masters_, parts_.masters, runtime.now());
      const LiveData data{parts_.plan, parts_.watch,  transactions,      history,
                          last_lines_, runtime.now(), screen->has_keys()};
      screen->show(view.text(data, screen->size(), terminal_));
    } else {
      tell();
    }
    // a verdict that is already known is not waited for
    if (until_met && all_met()) break;
  }
  lasted_ = std::min(length, runtime.now());
  runtime.finish(finished);
  look();
}

void RunLoop::look() {
  parts_.watch.look(parts_.runtime.now(), memories_);
  parts_.heartbeats.look(parts_.runtime.programs());
}

// Values whose time has come, and those that somebody has just typed or saved.
void RunLoop::play() {
  const Duration now = parts_.runtime.now();
  parts_.feed.look(now, told_lines_);
  const auto due = parts_.feed.script().due(now);
  for (const engine::DueValue& value : due) put(value);
  if (!due.empty()) parts_.runtime.touch();
  for (std::string& line : told_lines_) {
    line = fmt::format("{:.1f} s: {}", model::to_ms(now) / 1000, shown(line));
    if (!on_screen_ && takes_lines(terminal_.err_fd)) terminal_.err << line << "\n" << std::flush;
    keep(std::move(line));
  }
  told_lines_.clear();
}

void RunLoop::keep(std::string line) {
  constexpr std::size_t most_kept = 20;
  last_lines_.push_back(std::move(line));
  if (last_lines_.size() > most_kept) last_lines_.pop_front();
}

// What went wrong, for the screen.
void RunLoop::note(const engine::RequestRecord& record) {
  const bool is_well =
      record.outcome == engine::Outcome::good || record.outcome == engine::Outcome::left_out;
  if (is_well) return;
  const std::string why = record.outcome == engine::Outcome::exception
                              ? fmt::format("exception {:02X}, {}", record.exception,
                                            modbus::exception_name(record.exception))
                              : std::string(to_string(record.cause));
  keep(fmt::format("{:.1f} s: {}: {}", model::to_ms(record.end) / 1000,
                   shown(parts_.plan.transaction_name(record.transaction)), why));
}

void RunLoop::put(const engine::DueValue& due) {
  const Duration now = parts_.runtime.now();
  const engine::StatedValue& value = *due.value;
  if (due.first && value.at.memory && is_trigger(value.at)) {
    // asked for again, it is set off again: what is set already falls first
    engine::ControllerMemory& memory = *memories_[value.at.controller];
    const engine::BitSequence bit = memory.sequence(*value.at.memory);
    if (value.generator->value_at({}) != 0 && memory.bit(bit.store, bit.first)) {
      memory.set_bit(bit.store, bit.first, false);
      parts_.runtime.touch();
    }
  }
  engine::put_stated(parts_.plan, value, now - due.since, memories_);
  if (due.first && now > Duration{}) {
    told_lines_.push_back(fmt::format("{} = {}", value.at.where, value.written));
  }
}

bool RunLoop::is_trigger(const engine::ValueSpot& spot) const {
  const auto& all = parts_.plan.exchange.transactions;
  return std::any_of(all.begin(), all.end(), [&](const model::ExchangeTransaction& t) {
    return t.controller == spot.controller && t.trigger.bit &&
           t.trigger.bit->bits == spot.memory->bits;
  });
}

void RunLoop::tell() {
  const Duration now = parts_.runtime.now();
  if (now - told_ < std::chrono::seconds(1)) return;
  told_ = now;
  if (!takes_lines(terminal_.err_fd)) return;  // nobody waits for who does not read
  const auto [sent, good] = parts_.watch.measures().sent_and_good();
  const std::string failing = engine::failing_text(parts_.plan, parts_.watch.slaves().states());
  terminal_.err << fmt::format("{:.0f} s: {} sent, {} good{}\n", model::to_ms(told_) / 1000, sent,
                               good, failing.empty() ? "" : "; failing: " + shown(failing))
                << std::flush;
}

// Of what is read back only at the end: the writes that carry it have been answered.
bool RunLoop::all_met() const {
  const auto& expected = parts_.watch.expected();
  const auto results = parts_.watch.results(true);
  for (std::size_t i = 0; i < results.size(); ++i) {
    const auto& later = parts_.read_back;
    if (std::find(later.begin(), later.end(), i) == later.end()) {
      if (!results[i].good) return false;
      continue;
    }
    bool carried = false;
    bool answered = false;
    for (const model::ExchangeTransaction& t : parts_.plan.exchange.transactions) {
      if (!engine::is_written_by(parts_.plan, t.transaction, *expected[i].slave,
                                 expected[i].point)) {
        continue;
      }
      carried = true;
      answered = answered || parts_.watch.measures().of(t.transaction).good > 0;
    }
    if (carried && !answered) return false;
  }
  return !results.empty();
}

}  // namespace greymet::cli::internal
