#include "engine/slave_watch.h"

#include <algorithm>

namespace greymet::engine {

namespace {

constexpr std::size_t most_turns = 64;

bool was_sent(const RequestRecord& record) {
  return record.outcome != Outcome::left_out && record.outcome != Outcome::dropped;
}
bool was_answered(const RequestRecord& record) {
  return record.outcome == Outcome::good || record.outcome == Outcome::exception;
}

}  // namespace

SlaveWatch::SlaveWatch(const model::ResolvedPlan& plan)
    : plan_(plan),
      waits_(plan.transactions.size()),
      last_good_(plan.transactions.size()),
      longest_gap_(plan.transactions.size()) {}

void SlaveWatch::add(const RequestRecord& record) {
  if (record.outcome == Outcome::left_out || record.broadcast ||
      record.outcome == Outcome::unfinished) {
    return;
  }
  note_wire(record);
  const model::Target target = plan_.exchange.find(record.transaction)->target;
  // the same slave, whichever of a peer's answers it is asked through
  SlaveState& state = states_[{target.is_peer, target.index, 0}];
  state.target = target;
  if (was_sent(record)) note_wait(record);
  const bool answers = was_answered(record);
  if (!state.since || state.answers != answers) state.since = record.end;
  state.answers = answers;
  if (was_sent(record)) ++state.sent;
  if (record.outcome == Outcome::good) {
    if (record.tries > 1) ++state.again;
    Duration& longest = longest_gap_[record.transaction];
    auto& last = last_good_[record.transaction];
    longest = std::max(longest, record.end - last.value_or(Duration{}));
    last = record.end;
  } else if (record.outcome == Outcome::exception) {
    ++state.refused;
    state.exception = record.exception;
  } else if (record.outcome == Outcome::dropped) {
    ++state.not_asked;
    // why it is not asked any more is what happened before
    if (record.cause != Cause::parked || state.cause == Cause::none) state.cause = record.cause;
  } else {
    ++state.unanswered;
    state.cause = record.cause;
  }
  if (was_sent(record) && (!answers || record.tries > 1)) {
    state.held += record.end - record.start;
    state.link = record.link;
    state.tries += static_cast<std::uint64_t>(record.tries);
    if (answers && state.cause == Cause::none) state.cause = record.cause;
  }
}

void SlaveWatch::note_wire(const RequestRecord& record) {
  WireState& wire = wires_[record.link];
  wire.link = record.link;
  if (!was_sent(record)) {
    ++wire.not_sent;
    // a slave that is parked says nothing of the wire
    if (record.cause != Cause::refused && record.cause != Cause::unreachable) return;
  } else {
    ++wire.sent;
  }
  const bool works = was_answered(record);
  if (works) ++wire.answered;
  if (!wire.since || wire.works != works) wire.since = record.end;
  wire.works = works;
  if (!works) wire.cause = record.cause;
}

std::vector<WireState> SlaveWatch::wires() const {
  std::vector<WireState> out;
  out.reserve(wires_.size());
  for (const auto& [link, state] : wires_) out.push_back(state);
  return out;
}

void SlaveWatch::note_wait(const RequestRecord& record) {
  std::deque<Turn>& turns = turns_[record.link];
  const Duration waited = record.start - record.release;
  LongestWait& longest = waits_[record.transaction];
  if (waited > Duration{}) {
    std::map<std::size_t, std::pair<Duration, bool>> shares;
    for (const Turn& turn : turns) {
      const Duration from = std::max(turn.start, record.release);
      const Duration to = std::min(turn.end, record.start);
      if (to <= from || turn.transaction == record.transaction) continue;
      auto& share = shares[turn.transaction];
      share.first += to - from;
      share.second = share.second || turn.failing;
    }
    const auto most = std::max_element(
        shares.begin(), shares.end(),
        [](const auto& a, const auto& b) { return a.second.first < b.second.first; });
    if (most != shares.end() && most->second.second) {
      const model::Target target = plan_.exchange.find(most->first)->target;
      const auto behind = states_.find({target.is_peer, target.index, 0});
      if (behind != states_.end()) ++behind->second.waited;
    }
    if (waited > longest.waited) {
      longest.waited = waited;
      longest.behind = most == shares.end() ? std::nullopt : std::optional(most->first);
      longest.behind_failing = most != shares.end() && most->second.second;
    }
  }
  const bool failing = !was_answered(record) || record.tries > 1;
  turns.push_back({record.transaction, record.start, record.end, failing});
  if (turns.size() > most_turns) turns.pop_front();
}

std::vector<SlaveState> SlaveWatch::states() const {
  std::vector<SlaveState> out;
  out.reserve(states_.size());
  for (const auto& [target, state] : states_) out.push_back(state);
  return out;
}

std::optional<Duration> SlaveWatch::longest_gap(std::size_t transaction, Duration now) const {
  const auto& last = last_good_[transaction];
  if (!last) return std::nullopt;
  return std::max(longest_gap_[transaction], now - *last);
}

}  // namespace greymet::engine
