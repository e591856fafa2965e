#include "capture/wire_watch.h"

#include <algorithm>

namespace greymet::capture {

std::string_view to_string(SilenceKind kind) {
  switch (kind) {
    case SilenceKind::no_answer: return "no answer";
    case SilenceKind::slow_answer: return "slow answer";
    case SilenceKind::nobody_asks: return "nobody asks";
  }
  return {};
}

namespace {

bool is_longer(const Silence& a, const Silence& b) {
  return a.length > b.length;
}

}  // namespace

void WireWatch::note(SilenceKind kind, const Last& last, Duration until) {
  std::vector<Silence>& kept = kind == SilenceKind::no_answer     ? no_answer_
                               : kind == SilenceKind::slow_answer ? slow_answer_
                                                                  : nobody_asks_;
  const Duration length = until - last.end;
  if (length <= Duration{}) return;
  if (kept.size() == most_silences && length <= kept.back().length) return;
  if (kept.size() == most_silences) kept.pop_back();
  Silence silence{kind, last.asked, last.end, length};
  kept.insert(std::upper_bound(kept.begin(), kept.end(), silence, is_longer), std::move(silence));
}

void WireWatch::request(std::uint64_t link, const AskKey& asked, std::pair<Duration, Duration> when,
                        bool is_line, bool was_waiting) {
  const auto [at, is_new] = last_.try_emplace(link);
  Last& last = at->second;
  if (!is_new && was_waiting) {
    note(SilenceKind::no_answer, last, when.first);
  } else if (!is_new && is_line) {
    note(SilenceKind::nobody_asks, last, when.first);
  }
  if (is_new || last.asked != asked) last.asked = asked;
  last.end = when.second;
  last.exchange.reset();
  const bool is_kept = window_ && when.second >= window_->first && when.first < window_->second &&
                       exchanges_.size() < most_exchanges;
  if (!is_kept) return;
  last.exchange = exchanges_.size();
  exchanges_.push_back({asked, when, {}, false});
}

void WireWatch::reply(std::uint64_t link, const AskKey& asked, std::pair<Duration, Duration> when,
                      bool refused) {
  const auto at = last_.find(link);
  if (at == last_.end()) return;
  Last& last = at->second;
  if (last.asked == asked) note(SilenceKind::slow_answer, last, when.first);
  if (last.exchange && last.asked == asked) {
    exchanges_[*last.exchange].reply = when;
    exchanges_[*last.exchange].refused = refused;
  }
  last.end = when.second;
  last.exchange.reset();
}

std::vector<Silence> WireWatch::silences() const {
  std::vector<Silence> out = no_answer_;
  out.insert(out.end(), slow_answer_.begin(), slow_answer_.end());
  out.insert(out.end(), nobody_asks_.begin(), nobody_asks_.end());
  std::stable_sort(out.begin(), out.end(), is_longer);
  return out;
}

}  // namespace greymet::capture
