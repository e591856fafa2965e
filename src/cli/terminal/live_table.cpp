#include "live_table.h"

#include <fcntl.h>
#include <poll.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>

#include <fmt/format.h>

#include "cli/table_cells.h"
#include "model/duration_text.h"
#include "model/resolved_plan.h"

namespace greymet::cli {

using engine::MeasuredVerdict;

namespace {

Tint tint_of_verdict(MeasuredVerdict verdict) {
  switch (verdict) {
    case MeasuredVerdict::good: return Tint::green;
    case MeasuredVerdict::off:
    case MeasuredVerdict::failing:
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

std::string transaction_row(const model::ResolvedPlan& plan, const engine::RunWatch& watch,
                            const engine::MeasuredTransaction& t, const Terminal& terminal) {
  const model::ExchangeTransaction& of = *plan.exchange.find(t.transaction);
  const std::uint64_t failed = t.all.sent - t.all.good + t.all.dropped;
  std::string state(to_string(t.verdict));
  if (!t.why_left_out.empty()) state += ": " + t.why_left_out;
  if (t.all.last_exception) state += fmt::format(", exception {:02X}", *t.all.last_exception);
  return fmt::format("{} {:>8} {} {} {:>7} {:>6}  {}\n", name_cell(t.name, 18), period_of(of),
                     ms_cell(watch.last_response(t.transaction), 8), ms_cell(t.bound, 8),
                     t.all.sent, failed, tinted(terminal, tint_of_verdict(t.verdict), state));
}

std::string value_row(const model::ResolvedPlan& plan, const engine::PointValues& points,
                      const engine::PointValue& value, model::Duration now,
                      const Terminal& terminal) {
  const model::Point& point = points.point_of(value);
  const std::string where = plan.plan.slaves[value.slave].name + "." + point.name;
  if (value.words.empty()) {
    return tinted(terminal, Tint::dim, fmt::format("{} {:>12}", name_cell(where, 28), "-")) + "\n";
  }
  std::string raw;
  constexpr std::size_t most_words = 4;
  for (std::size_t i = 0; i < value.words.size() && i < most_words; ++i) {
    raw += fmt::format("{}{:04X}", i > 0 ? " " : "", value.words[i]);
  }
  if (value.words.size() > most_words) raw += " ..";
  const double age = model::to_ms(now - value.at) / 1000;
  const auto& trigger = plan.exchange.find(value.transaction)->trigger;
  const bool cyclic = trigger.kind == model::TriggerKind::cyclic;
  const bool old = cyclic && now - value.at > 2 * trigger.period + std::chrono::seconds(1);
  std::string text = points.text(value);
  return fmt::format(
      "{} {:>12} {} {} {}\n", name_cell(where, 28), shown(text), name_cell(point.unit, 8),
      name_cell(raw, 22),
      tinted(terminal, old ? Tint::yellow : Tint::none, fmt::format("{:>7.1f} s", age)));
}

}  // namespace

std::string live_table_text(const model::ResolvedPlan& plan, const engine::RunWatch& watch,
                            const std::vector<engine::MeasuredTransaction>& transactions,
                            model::Duration now, std::size_t rows, const Terminal& terminal) {
  std::uint64_t sent = 0;
  std::uint64_t good = 0;
  for (const auto& t : transactions) {
    sent += t.all.sent;
    good += t.all.good;
  }
  std::string text =
      fmt::format("{}  {:.0f} s, {} sent, {} good; Ctrl-C stops\n",
                  tinted(terminal, Tint::bold, "run"), model::to_ms(now) / 1000, sent, good);
  text +=
      tinted(terminal, Tint::dim,
             fmt::format("{} {:>8} {:>8} {:>8} {:>7} {:>6}  state", name_cell("transaction", 18),
                         "every", "last ms", "bound", "sent", "failed")) +
      "\n";
  std::size_t left = rows > 4 ? rows - 4 : 4;
  // what is wrong first where not all fit; half of the screen is for values
  std::vector<const engine::MeasuredTransaction*> order;
  order.reserve(transactions.size());
  for (const auto& t : transactions) order.push_back(&t);
  const std::size_t most = std::max(left / 2, left > watch.points().values().size()
                                                  ? left - watch.points().values().size()
                                                  : std::size_t{0});
  if (order.size() > most) {
    std::stable_sort(order.begin(), order.end(), [](const auto* a, const auto* b) {
      const auto rank = [](const engine::MeasuredTransaction* t) {
        switch (t->verdict) {
          case MeasuredVerdict::dead: return 0;
          case MeasuredVerdict::failing: return 1;
          case MeasuredVerdict::off:
          case MeasuredVerdict::late: return 2;
          case MeasuredVerdict::good: return 3;
          case MeasuredVerdict::not_run: return 4;
          case MeasuredVerdict::left_out: return 5;
        }
        return 6;
      };
      return rank(a) < rank(b);
    });
  }
  std::size_t shown_rows = 0;
  for (const auto* t : order) {
    if (shown_rows == most) break;
    text += transaction_row(plan, watch, *t, terminal);
    ++shown_rows;
  }
  if (order.size() > shown_rows) {
    text +=
        tinted(terminal, Tint::dim, fmt::format("and {} more", order.size() - shown_rows)) + "\n";
    ++shown_rows;
  }
  left = left > shown_rows ? left - shown_rows : 0;
  if (left < 2) return text;
  text += tinted(terminal, Tint::dim,
                 fmt::format("{} {:>12} {} {} {:>9}", name_cell("value", 28), "",
                             name_cell("unit", 8), name_cell("raw", 22), "age")) +
          "\n";
  for (const engine::PointValue& value : watch.points().values()) {
    if (--left == 0) break;
    text += value_row(plan, watch.points(), value, now, terminal);
  }
  return text;
}

// The other screen, so that what stood on this one comes back.
LiveScreen::LiveScreen(const Terminal& terminal) : terminal_(terminal) {
  const std::string path = fmt::format("/proc/self/fd/{}", terminal.out_fd);
  terminal_.out << std::flush;
  fd_ = ::open(path.c_str(), O_WRONLY | O_NONBLOCK | O_NOCTTY | O_CLOEXEC);
  write("\x1b[?1049h\x1b[?25l\x1b[?7l");  // lines that are too long are cut
}
LiveScreen::~LiveScreen() {
  // first what cancels a sequence that was cut
  begun_ = "\x18\x1b[?7h\x1b[?25h\x1b[?1049l";
  constexpr int most_tries = 20;
  for (int i = 0; i < most_tries && !begun_.empty(); ++i) {
    push_on();
    if (begun_.empty()) break;
    pollfd ready{fd_, POLLOUT, 0};
    constexpr int wait_ms = 50;
    ::poll(&ready, 1, wait_ms);
  }
  if (fd_ >= 0) ::close(fd_);
}

void LiveScreen::push_on() {
  while (!begun_.empty()) {
    const ssize_t written = ::write(fd_, begun_.data(), begun_.size());
    if (written < 0 && errno == EINTR) continue;
    if (written <= 0) {
      if (errno != EAGAIN) begun_.clear();  // nobody is there any more
      return;
    }
    begun_.erase(0, static_cast<std::size_t>(written));
  }
}

void LiveScreen::write(std::string_view text) {
  push_on();
  if (!begun_.empty()) return;
  begun_ = text;
  push_on();
}

void LiveScreen::show(const std::string& text) {
  std::string frame = "\x1b[H";
  for (const char c : text) {
    if (c == '\n') frame += "\x1b[K";  // what was longer before
    frame += c;
  }
  write(frame + "\x1b[J");
}
std::size_t LiveScreen::rows() const {
  constexpr std::size_t usual = 24;
  winsize size{};
  if (::ioctl(terminal_.out_fd, TIOCGWINSZ, &size) != 0 || size.ws_row == 0) return usual;
  return size.ws_row;
}

}  // namespace greymet::cli
