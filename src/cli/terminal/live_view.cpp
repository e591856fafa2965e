#include "live_view.h"

#include <algorithm>
#include <array>
#include <cstdlib>
#include <utility>

#include <fmt/format.h>

#include "cli/table_cells.h"
#include "engine/run_verdict.h"
#include "model/ascii_text.h"
#include "model/duration_text.h"
#include "model/manual_beside.h"
#include "model/resolved_plan.h"
#include "model/utf8_text.h"

namespace greymet::cli {

using engine::MeasuredTransaction;
using engine::MeasuredVerdict;

namespace {

constexpr std::size_t least_name = 18;
constexpr std::size_t most_name = 34;
constexpr std::size_t wide = 96;  // columns from which the bound is shown

Tint tint_of_verdict(MeasuredVerdict verdict) {
  switch (verdict) {
    case MeasuredVerdict::good: return Tint::green;
    case MeasuredVerdict::off:
    case MeasuredVerdict::failing:
    case MeasuredVerdict::held_up:
    case MeasuredVerdict::late: return Tint::yellow;
    case MeasuredVerdict::dead: return Tint::red;
    case MeasuredVerdict::left_out:
    case MeasuredVerdict::not_run: return Tint::dim;
  }
  return Tint::none;
}

std::string period_of(const model::ExchangeTransaction& t) {
  switch (t.trigger.kind) {
    case model::TriggerKind::cyclic: return model::to_text(t.trigger.period);
    case model::TriggerKind::continuous: return "contin.";
    case model::TriggerKind::on_bit:
    case model::TriggerKind::on_change: return ">" + model::to_text(t.trigger.period);
    case model::TriggerKind::on_start: return "start";
    case model::TriggerKind::on_return: return "return";
  }
  return {};
}

int rank_of(MeasuredVerdict verdict) {
  switch (verdict) {
    case MeasuredVerdict::dead: return 0;
    case MeasuredVerdict::failing: return 1;
    case MeasuredVerdict::off:
    case MeasuredVerdict::held_up:
    case MeasuredVerdict::late: return 2;
    case MeasuredVerdict::good: return 3;
    case MeasuredVerdict::not_run: return 4;
    case MeasuredVerdict::left_out: return 5;
  }
  return 6;
}

std::string state_of(const MeasuredTransaction& t) {
  std::string state(to_string(t.verdict));
  if (!t.why_left_out.empty()) state += ": " + t.why_left_out;
  if (t.verdict == MeasuredVerdict::dead || t.verdict == MeasuredVerdict::failing) {
    if (!t.cause.empty()) state += ": " + t.cause;
  } else if (t.verdict == MeasuredVerdict::held_up) {
    state += ": waits for " + t.waited_for;
  }
  if (t.all.last_exception) state += fmt::format(", exception {:02X}", *t.all.last_exception);
  return state;
}

bool contains(std::string_view text, std::string_view part) {
  for (std::size_t at = 0; at + part.size() <= text.size(); ++at) {
    if (model::equal_in_any_case(text.substr(at, part.size()), part)) return true;
  }
  return false;
}

// What the terminal says it understands.
bool shows_utf8() {
  for (const char* name : {"LC_ALL", "LC_CTYPE", "LANG"}) {
    const char* value = std::getenv(name);  // NOLINT(concurrency-mt-unsafe): one thread
    if (value == nullptr || *value == 0) continue;
    return contains(value, "utf-8") || contains(value, "utf8");
  }
  return false;
}

std::string seconds_of(model::Duration time) {
  return fmt::format("{:.1f} s", model::to_ms(time) / 1000);
}

// "hr:72 (0x0048)" behind the row of a value: on the wire, and as the slave's manual prints it.
std::string place_of_value(const model::ResolvedPlan& plan, const model::Target& target,
                           const model::DeviceBlock& block, const CarriedValue& value,
                           const std::string& row) {
  constexpr std::size_t column = 64;
  const auto offset = static_cast<std::uint16_t>(block.offset + value.first);
  const std::string manual = manual_beside(plan, target, {block.area, {offset}});
  const std::size_t width = model::code_points(row);
  return std::string(width < column ? column - width : 2, ' ') +
         fmt::format("{}:{}{}", short_name(block.area), offset,
                     manual.empty() ? manual : fmt::format(" ({})", manual));
}

// One place on from a window of `height` rows that begins at `top`.
std::size_t window_top(std::size_t top, std::size_t chosen, std::size_t height, std::size_t all) {
  height = std::max<std::size_t>(1, height);
  if (chosen < top) top = chosen;
  if (chosen >= top + height) top = chosen + 1 - height;
  return std::min(top, all > height ? all - height : 0);
}

}  // namespace

LiveView::LiveView(const model::ResolvedPlan& plan, const timing::TimingReport& report)
    : plan_(plan), wires_(plan.transactions.size()) {
  for (const timing::Queue& queue : report.model.queues) {
    for (const timing::Job& job : queue.jobs) wires_[job.transaction] = queue.name;
  }
}

// ---------------------------------------------------------------- rows

bool LiveView::matches(const MeasuredTransaction& t) const {
  if (filter_.empty()) return true;
  const model::Target& target = plan_.exchange.find(t.transaction)->target;
  for (const std::string& text : {t.name, plan_.target_name(target), wires_[t.transaction]}) {
    if (contains(text, filter_)) return true;
  }
  return false;
}

LiveView::Rows LiveView::rows_of(const LiveData& data) const {
  Rows rows;
  for (const MeasuredTransaction& t : data.transactions) {
    if (matches(t)) rows.push_back(&t);
  }
  if (failing_first_) {
    std::stable_sort(rows.begin(), rows.end(), [](const auto* a, const auto* b) {
      return rank_of(a->verdict) < rank_of(b->verdict);
    });
  }
  return rows;
}

// Where the keys have led, as a place among the rows; the chosen one stays it wherever it goes.
std::size_t LiveView::choose(const Rows& rows) {
  const std::ptrdiff_t moved = std::exchange(moved_, 0);
  if (rows.empty()) return 0;
  // until somebody chooses, the gravest
  if (!chosen_by_key_ || !chosen_) chosen_ = rows.front()->transaction;
  std::size_t at = 0;
  for (std::size_t i = 0; i < rows.size(); ++i) {
    if (rows[i]->transaction == *chosen_) at = i;
  }
  if (moved == 0) return at;
  const auto last = static_cast<std::ptrdiff_t>(rows.size()) - 1;
  at = static_cast<std::size_t>(
      std::clamp<std::ptrdiff_t>(static_cast<std::ptrdiff_t>(at) + moved, 0, last));
  chosen_by_key_ = true;
  chosen_ = rows[at]->transaction;
  value_ = 0;
  value_top_ = 0;
  return at;
}

std::string LiveView::table(const LiveData& data, const Rows& rows, std::size_t height,
                            std::size_t columns, const Terminal& terminal) const {
  const bool with_bound = columns >= wide;
  const std::size_t name =
      std::clamp<std::size_t>(columns > 80 ? columns - 62 : 0, least_name, most_name);
  std::string text =
      tinted(terminal, Tint::dim,
             fmt::format("  {} {:>8} {:>8}{} {:>7} {:>6}  state", name_cell("transaction", name),
                         "every", "last ms", with_bound ? fmt::format(" {:>8}", "bound") : "",
                         "sent", "failed")) +
      "\n";
  for (std::size_t i = top_; i < rows.size() && i < top_ + height; ++i) {
    const MeasuredTransaction& t = *rows[i];
    const bool chosen = chosen_ ? t.transaction == *chosen_ : i == 0;
    const std::uint64_t failed = t.all.sent - t.all.good + t.all.dropped;
    const std::string row =
        fmt::format("{} {} {:>8} {}{} {:>7} {:>6}", chosen ? '>' : ' ', name_cell(t.name, name),
                    period_of(*data.plan.exchange.find(t.transaction)),
                    ms_cell(data.watch.last_response(t.transaction), 8),
                    with_bound ? " " + ms_cell(t.bound, 8) : "", t.all.sent, failed);
    text += (chosen ? tinted(terminal, Tint::bold, row) : row) + "  " +
            tinted(terminal, tint_of_verdict(t.verdict), shown(state_of(t))) + "\n";
  }
  return text;
}

// ---------------------------------------------------------------- values

std::string LiveView::last_minute(const LiveData& data, const CarriedValue& value) const {
  const auto* samples = chosen_ ? data.history.of(*chosen_, value.first) : nullptr;
  if (samples == nullptr || !value.number) return {};
  std::optional<double> least;
  std::optional<double> most;
  for (const auto& sample : *samples) {
    if (!sample) continue;
    least = std::min(least.value_or(*sample), *sample);
    most = std::max(most.value_or(*sample), *sample);
  }
  if (!least) return {};
  return fmt::format("last minute of {}: {:.6g} to {:.6g}\n  {}\n", shown(value.name), *least,
                     *most, sparkline(*samples, shows_utf8()));
}

std::string LiveView::values(const LiveData& data, const std::vector<CarriedValue>& all,
                             std::size_t height, std::size_t columns, const Terminal& terminal) {
  if (!chosen_ || height < 1) return {};
  const model::ExchangeTransaction& t = *data.plan.exchange.find(*chosen_);
  const engine::LastWords& last = data.watch.last_words(*chosen_);
  std::string head =
      fmt::format("{} {} {}", t.name, t.read ? "reads" : "writes", data.plan.target_name(t.target));
  if (!wires_[*chosen_].empty()) head += " on " + wires_[*chosen_];
  head += all.empty() ? ": nothing yet" : ", " + seconds_of(data.now - last.at) + " ago";
  std::string text = tinted(terminal, Tint::bold, shown(head)) + "\n";
  if (all.empty() || height < 2) return text;
  const auto most = static_cast<std::ptrdiff_t>(all.size()) - 1;
  value_ = static_cast<std::size_t>(
      std::clamp<std::ptrdiff_t>(static_cast<std::ptrdiff_t>(value_) + value_moved_, 0, most));
  value_moved_ = 0;
  const std::string minute = height >= 6 ? last_minute(data, all[value_]) : "";
  const std::size_t rows = height - 1 - (minute.empty() ? 0 : 2);
  value_top_ = window_top(value_top_, value_, rows, all.size());
  for (std::size_t i = value_top_; i < all.size() && i < value_top_ + rows; ++i) {
    const CarriedValue& value = all[i];
    std::string row = fmt::format("{} {} {:>14} {} {}", in_values_ && i == value_ ? '>' : ' ',
                                  name_cell(value.name, 24), shown(value.text),
                                  name_cell(value.unit, 7), shown(value.raw));
    const auto& block = t.read ? t.read : t.write;
    if (columns >= wide && block) row += place_of_value(data.plan, t.target, *block, value, row);
    text += (in_values_ && i == value_ ? tinted(terminal, Tint::bold, row) : row) + "\n";
  }
  return text + minute;
}

// ---------------------------------------------------------------- all

std::string LiveView::text(const LiveData& data, ScreenSize size, const Terminal& terminal) {
  std::uint64_t sent = 0;
  std::uint64_t good = 0;
  for (const MeasuredTransaction& t : data.transactions) {
    sent += t.all.sent;
    good += t.all.good;
  }
  const Rows rows = rows_of(data);
  std::string text =
      fmt::format("{}  {:.0f} s, {} sent, {} good", tinted(terminal, Tint::bold, "run"),
                  model::to_ms(data.now) / 1000, sent, good);
  if (types_filter_ || !filter_.empty()) {
    text += fmt::format("; {} of {} with /{}{}", rows.size(), data.transactions.size(),
                        shown(filter_), types_filter_ ? "_" : "");
  }
  text += "\n";
  std::size_t left = std::max<std::size_t>(size.rows, 6) - 3;  // head, columns, keys
  const std::string failing = engine::failing_text(data.plan, data.watch.slaves().states());
  if (!failing.empty()) {
    text += tinted(terminal, Tint::red, "failing: " + shown(failing)) + "\n";
    --left;
  }
  constexpr std::size_t roomy = 16;
  constexpr std::size_t most_lines = 4;
  const std::size_t lines = std::min(data.lines.size(), left >= roomy ? most_lines : left / 8);
  left -= lines;
  const std::size_t at = choose(rows);
  const auto all =
      chosen_ ? carried_values(data.plan, data.watch, *chosen_) : std::vector<CarriedValue>();
  // half for the values of the chosen one; who needs less leaves the rest to the other
  constexpr std::size_t besides_values = 3;  // a head, and the last minute
  const std::size_t wanted = all.size() + besides_values;
  const std::size_t for_values =
      std::min(wanted, std::max(left / 2, left - std::min(left, rows.size())));
  height_ = std::max<std::size_t>(1, std::min(rows.size(), left - std::min(left - 1, for_values)));
  top_ = window_top(top_, at, height_, rows.size());
  text += table(data, rows, height_, size.columns, terminal);
  if (left > height_) text += values(data, all, left - height_, size.columns, terminal);
  for (std::size_t i = data.lines.size() - lines; i < data.lines.size(); ++i) {
    text += tinted(terminal, Tint::dim, data.lines[i]) + "\n";
  }
  const std::string_view keys =
      !data.has_keys  ? "Ctrl-C ends"
      : types_filter_ ? "type a part of a name, slave or line; Enter keeps it, Esc shows all"
      : in_values_    ? "up, down: another value   Tab: transactions   q ends"
                   : "up, down, PgUp, PgDn: choose   Tab: values   /: filter   o: order   q ends";
  return text + tinted(terminal, Tint::dim, keys);
}

}  // namespace greymet::cli
