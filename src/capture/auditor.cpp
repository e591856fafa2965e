#include "capture/auditor.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include <fmt/format.h>

#include "modbus/pdu.h"
#include "modbus/planned_frames.h"
#include "model/duration_text.h"

namespace greymet::capture {

using model::FunctionCode;

namespace {

constexpr std::size_t most_kinds = 5'000;
constexpr std::size_t most_unanswered = 64;  // of one connection
constexpr std::size_t most_clients = 8;

AskKey key_from(std::string_view wire, std::uint8_t unit, const modbus::Request& request) {
  AskKey key{
      std::string(wire), unit, static_cast<std::uint8_t>(number_of(request.function)), 0, 0, 0, 0};
  const auto written =
      request.function == FunctionCode::mask_write_register
          ? 1U
          : static_cast<std::uint32_t>(request.registers.size() + request.bits.size());
  key.offset = request.offset;
  key.count = model::reads(request.function) ? request.quantity : written;
  if (model::reads(request.function) && model::writes(request.function)) {
    key.write_offset = request.write_offset;
    key.write_count = written;
  }
  return key;
}

// How unlike two requests to one unit are; nothing where they have nothing in common.
std::optional<std::uint32_t> difference(const AskKey& a, const AskKey& b) {
  if (a.wire != b.wire || a.unit != b.unit) return std::nullopt;
  constexpr std::uint32_t other_function = 100'000;
  const auto apart = [](std::uint32_t x, std::uint32_t y) { return x > y ? x - y : y - x; };
  return (a.function == b.function ? 0 : other_function) + apart(a.offset, b.offset) +
         apart(a.count, b.count);
}

}  // namespace

std::string to_text(const AskKey& key) {
  const auto function = model::function_code_from(key.function);
  const std::string_view area = function ? short_name(model::traits_of(*function).area) : "?";
  return fmt::format("function {}, {}:{}{} of unit {} at {}", key.function, area, key.offset,
                     key.count > 1 ? fmt::format("..{}", key.offset + key.count - 1) : "", key.unit,
                     key.wire);
}

std::string_view to_string(AuditVerdict verdict) {
  switch (verdict) {
    case AuditVerdict::good: return "good";
    case AuditVerdict::missing: return "missing";
    case AuditVerdict::slow: return "slow";
    case AuditVerdict::often: return "often";
    case AuditVerdict::late: return "late";
    case AuditVerdict::failing: return "failing";
    case AuditVerdict::shifted: return "shifted";
    case AuditVerdict::changed: return "changed";
    case AuditVerdict::not_seen: return "not seen";
  }
  return {};
}

std::optional<AskKey> key_of(const model::ResolvedPlan& plan, const model::ExchangeTransaction& t) {
  const model::Endpoint& to = t.endpoint;
  std::string wire;
  if (to.connection) {
    wire = fmt::format("{}:{}", to.host, to.port);
  } else if (to.line) {
    wire = fmt::format("line {}", plan.exchange.lines[*to.line].name);
  } else {
    return std::nullopt;
  }
  // without a unit masters send 255, which such hosts ignore, or 0
  constexpr std::uint8_t any_unit = 255;
  return key_from(wire, to.unit ? static_cast<std::uint8_t>(to.unit->value) : any_unit,
                  modbus::planned_request(t));
}

std::optional<Auditor::Asked::iterator> Auditor::place_of(AskKey key) {
  const auto found = asked_.find(key);
  if (found != asked_.end()) return found;
  if (asked_.size() >= most_kinds) {
    ++out_.beyond;
    return std::nullopt;
  }
  return asked_.try_emplace(std::move(key)).first;
}

void Auditor::give_up(const Waiting& waiting) {
  ++waiting.asked->second.timeouts;
}

void Auditor::add(const WireFrame& frame) {
  if (!begin_) begin_ = frame.first;
  if (frame.last < end_) ++out_.backwards;
  end_ = std::max(end_, frame.last);
  if (frame.is_request) {
    ask(frame);
  } else {
    answer(frame);
  }
}

void Auditor::ask(const WireFrame& frame) {
  ++out_.requests;
  const auto request = modbus::decode_request(frame.frame.pdu);
  if (!request) {
    ++out_.foreign;
    return;
  }
  const auto place = place_of(key_from(frame.wire, frame.frame.unit, *request));
  if (!place) return;
  AskedStats& stats = (*place)->second;
  if (stats.seen > 0 && frame.first >= stats.last) stats.intervals.add(frame.first - stats.last);
  if (stats.seen == 0) stats.first = frame.first;
  ++stats.seen;
  stats.last = frame.first;
  if (stats.clients.size() < most_clients && stats.clients.count(frame.client) == 0) {
    stats.clients.emplace(frame.client);
  }
  count_client(frame);
  auto& waiting = waiting_[frame.link];
  wires_.request(frame.link, (*place)->first, {frame.first - *begin_, frame.last - *begin_},
                 frame.client.empty(), !waiting.empty());
  // a line has one question at a time; a connection one of each number, and nobody asks for what
  // he still waits for
  std::erase_if(waiting, [&](const Waiting& each) {
    const bool over =
        !frame.has_numbers || each.number == frame.frame.transaction || each.asked == *place;
    if (over) give_up(each);
    return over;
  });
  if (waiting.size() >= most_unanswered) {
    give_up(waiting.front());
    waiting.pop_front();
  }
  if (watcher_ && model::writes(request->function)) {
    std::vector<std::uint16_t> words = request->registers;
    for (const bool bit : request->bits) words.push_back(bit ? 1 : 0);
    watcher_((*place)->first, words);
  }
  const bool broadcast = frame.frame.unit == 0 && !frame.has_numbers;
  if (!broadcast) waiting.push_back({*place, frame.frame.transaction, frame.last});
}

void Auditor::answer(const WireFrame& frame) {
  ++out_.replies;
  auto& waiting = waiting_[frame.link];
  const std::uint8_t function =
      frame.frame.pdu.empty() ? std::uint8_t{0} : std::to_integer<std::uint8_t>(frame.frame.pdu[0]);
  const bool refusal = (function & modbus::exception_flag) != 0;
  const auto at = std::find_if(waiting.begin(), waiting.end(), [&](const Waiting& each) {
    const bool same_function =
        each.asked->first.function == (function & ~unsigned{modbus::exception_flag});
    const bool same_number = !frame.has_numbers || each.number == frame.frame.transaction;
    return same_number && each.asked->first.unit == frame.frame.unit && same_function;
  });
  if (at == waiting.end()) {
    ++out_.stray_replies;
    return;
  }
  AskedStats& stats = at->asked->second;
  wires_.reply(frame.link, at->asked->first, {frame.first - *begin_, frame.last - *begin_},
               refusal);
  if (refusal) {
    ++stats.exceptions;
    if (frame.frame.pdu.size() > 1)
      stats.last_exception = std::to_integer<std::uint8_t>(frame.frame.pdu[1]);
  } else {
    ++stats.good;
    tell_values(at->asked->first, frame.frame.pdu);
    stats.replies.add(std::max(frame.last - at->since, Duration{}));
  }
  waiting.erase(at);
}

void Auditor::tell_values(const AskKey& key, modbus::ByteView pdu) const {
  if (!watcher_) return;
  const auto decoded = modbus::decode_reply(pdu);
  const auto* reply = decoded ? std::get_if<modbus::Reply>(&*decoded) : nullptr;
  if (reply == nullptr || !model::reads(reply->function)) return;
  std::vector<std::uint16_t> words = reply->registers;
  for (const bool bit : reply->bits) words.push_back(bit ? 1 : 0);
  // bits fill their last byte
  if (words.size() > key.count) words.resize(key.count);
  watcher_(key, words);
}

// Memory has an end, whoever asks.
void Auditor::count_client(const WireFrame& frame) {
  constexpr std::size_t most_wires = 1000;
  constexpr std::size_t most_of_wire = 100;
  auto wire = clients_.find(frame.wire);
  if (wire == clients_.end()) {
    if (clients_.size() >= most_wires) return;
    wire = clients_.try_emplace(std::string(frame.wire)).first;
  }
  Counts& counts = wire->second;
  auto client = counts.find(frame.client);
  if (client == counts.end()) {
    if (counts.size() >= most_of_wire) return;
    client = counts.try_emplace(std::string(frame.client)).first;
  }
  ++client->second;
}

void Auditor::close(std::uint64_t link) {
  const auto found = waiting_.find(link);
  if (found == waiting_.end()) return;
  for (const Waiting& each : found->second) give_up(each);
  waiting_.erase(found);
}

namespace {

class Judge {
 public:
  Judge(const model::ResolvedPlan& plan, const timing::TimingReport& report,
        const std::map<AskKey, AskedStats>& asked, AuditResult& out)
      : plan_(plan), asked_(asked), out_(out) {
    for (const timing::LineReport& line : report.lines) {
      for (const timing::TransactionReport& t : line.transactions)
        bounds_[t.name] = t.response_bound;
    }
  }

  void keep_silences(const std::vector<Silence>& all) {
    for (const Silence& each : all) {
      if (out_.silences.size() < WireWatch::most_silences && is_odd(each)) {
        out_.silences.push_back(each);
      }
    }
  }

  void run(std::optional<model::LineIndex> line) {
    std::map<AskKey, std::vector<const model::ExchangeTransaction*>> planned;
    for (const model::ExchangeTransaction& t : plan_.exchange.transactions) {
      if (const auto key = key_of(plan_, t)) planned[seen_as(*key)].push_back(&t);
    }
    for (const auto& [key, stats] : asked_) {
      if (planned.count(key) == 0) out_.unplanned.push_back({key, stats, nearest_of(key)});
    }
    std::stable_sort(
        out_.unplanned.begin(), out_.unplanned.end(),
        [](const Unplanned& a, const Unplanned& b) { return a.stats.seen > b.stats.seen; });
    for (const model::ExchangeTransaction& t : plan_.exchange.transactions) {
      const auto key = key_of(plan_, t);
      if (!key) continue;
      const bool captured = line ? !t.endpoint.connection && t.endpoint.line == line
                                 : t.endpoint.connection.has_value();
      if (captured) {
        judge(t, seen_as(*key));
      } else {
        out_.elsewhere.push_back(t.name);
      }
    }
  }

 private:
  // Longer than the plan lets one expect: an answer within the reply time is none to look at, nor a
  // line that is silent until the next period.
  [[nodiscard]] bool is_odd(const Silence& silence) const {
    if (silence.kind == SilenceKind::no_answer) return true;
    std::optional<Duration> usual;
    for (const model::ExchangeTransaction& t : plan_.exchange.transactions) {
      const auto key = key_of(plan_, t);
      if (!key || key->wire != silence.asked.wire) continue;
      if (silence.kind == SilenceKind::slow_answer) {
        if (seen_as(*key) == silence.asked) usual = t.endpoint.reply.max + t.endpoint.rtt.max;
      } else if (t.trigger.period > Duration{}) {
        const Duration twice = 2 * t.trigger.period;
        usual = usual ? std::min(*usual, twice) : twice;
      }
    }
    return usual && silence.length > *usual;
  }

  // Of a host without a unit: whatever unit the master sends.
  [[nodiscard]] AskKey seen_as(const AskKey& key) const {
    constexpr std::uint8_t any = 255;
    if (key.unit != any || asked_.count(key) > 0) return key;
    for (const std::uint8_t unit : {std::uint8_t{0}, std::uint8_t{1}}) {
      AskKey other = key;
      other.unit = unit;
      if (asked_.count(other) > 0) return other;
    }
    return key;
  }

  [[nodiscard]] std::string nearest_of(const AskKey& key) const {
    std::uint32_t best = std::numeric_limits<std::uint32_t>::max();
    std::string name;
    for (const model::ExchangeTransaction& t : plan_.exchange.transactions) {
      const auto planned = key_of(plan_, t);
      const auto apart = planned ? difference(seen_as(*planned), key) : std::nullopt;
      if (!apart || *apart >= best) continue;
      best = *apart;
      name = t.name;
    }
    return name;
  }

  void judge(const model::ExchangeTransaction& t, const AskKey& key) {
    AuditedTransaction row;
    row.transaction = t.transaction;
    row.name = t.name;
    const bool cyclic =
        t.trigger.kind == model::TriggerKind::cyclic && t.trigger.period > Duration{};
    if (cyclic) row.period = t.trigger.period;
    if (const auto bound = bounds_.find(t.name); bound != bounds_.end()) row.bound = bound->second;
    const auto found = asked_.find(key);
    if (found != asked_.end()) row.stats = found->second;
    row.verdict = found == asked_.end() ? of_unseen(row, key) : of_seen(row);
    if (const auto median = row.stats.replies.median()) {
      out_.durations.push_back(
          {t.name, row.stats.replies.count(), *median, *row.stats.replies.greatest()});
    }
    out_.transactions.push_back(std::move(row));
  }

  AuditVerdict of_unseen(AuditedTransaction& row, const AskKey& key) const {
    for (const Unplanned& other : out_.unplanned) {
      const AskKey& asked = other.key;
      const bool same_kind =
          asked.wire == key.wire && asked.unit == key.unit && asked.function == key.function;
      if (!same_kind) continue;
      const bool beside = asked.count == key.count &&
                          (asked.offset + 1 == key.offset || asked.offset == key.offset + 1);
      const bool overlaps =
          asked.offset < key.offset + key.count && key.offset < asked.offset + asked.count;
      if (!beside && !overlaps) continue;
      row.note = "asked instead: " + to_text(asked);
      return beside ? AuditVerdict::shifted : AuditVerdict::changed;
    }
    const bool long_enough = row.period && out_.length > 2 * *row.period;
    return long_enough ? AuditVerdict::missing : AuditVerdict::not_seen;
  }

  static AuditVerdict of_seen(AuditedTransaction& row) {
    const AskedStats& stats = row.stats;
    if (stats.exceptions + stats.timeouts > 0) {
      row.note =
          fmt::format("{} of {} not answered well", stats.exceptions + stats.timeouts, stats.seen);
      return AuditVerdict::failing;
    }
    constexpr std::uint64_t telling = 3;  // intervals
    constexpr double slower = 1.05;
    constexpr double faster = 0.8;
    const auto mean = stats.intervals.mean_ms();
    if (row.period && mean && stats.intervals.count() >= telling) {
      const double planned = model::to_ms(*row.period);
      if (*mean > slower * planned) return AuditVerdict::slow;
      if (*mean < faster * planned) return AuditVerdict::often;
    }
    const auto longest = stats.replies.quantile(0.99);
    if (row.bound && longest && *longest > *row.bound) return AuditVerdict::late;
    return AuditVerdict::good;
  }

  const model::ResolvedPlan& plan_;
  const std::map<AskKey, AskedStats>& asked_;
  AuditResult& out_;
  std::map<std::string, std::optional<Duration>> bounds_;
};

}  // namespace

AuditResult Auditor::finish(const timing::TimingReport& report,
                            std::optional<model::LineIndex> line) {
  // who asked a moment before the end may well have got an answer behind it
  constexpr Duration moment = std::chrono::seconds(1);
  for (const auto& [link, waiting] : waiting_) {
    for (const Waiting& each : waiting) {
      if (end_ - each.since > moment) give_up(each);
    }
  }
  waiting_.clear();
  for (const auto& [wire, counts] : clients_) {
    for (const auto& [client, requests] : counts) out_.clients[{wire, client}] = requests;
  }
  if (begin_) out_.length = end_ - *begin_;
  Judge judge(plan_, report, asked_, out_);
  judge.run(line);
  judge.keep_silences(wires_.silences());
  out_.seen = wires_.exchanges();
  return std::move(out_);
}

}  // namespace greymet::capture
