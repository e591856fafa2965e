#include "engine/late_answers.h"

#include <algorithm>

namespace greymet::engine {

namespace {

bool fits(const modbus::Frame& frame, const Asked& asked) {
  return std::holds_alternative<Answer>(answer_in(frame, asked));
}

}  // namespace

void LateAnswers::forget_old(Duration now) {
  std::erase_if(owed_, [now](const Owed& owed) { return owed.until <= now; });
}

void LateAnswers::given_up(std::uint64_t request, const Asked& asked, Duration now) {
  forget_old(now);
  owed_.push_back({request, asked, now + horizon_, held_until(asked, now).has_value()});
}

void LateAnswers::answered(std::uint64_t request, std::size_t job, const Asked& asked,
                           Duration now) {
  forget_old(now);
  last_answered_[job] = {request, asked, now};
  const bool had_given_up = std::any_of(
      owed_.begin(), owed_.end(), [request](const Owed& owed) { return owed.request == request; });
  // one answer has come to several tries, nobody knows to which
  if (had_given_up) owed_.push_back({request, asked, now + horizon_, false});
}

void LateAnswers::stray(const modbus::Frame& frame, Duration now) {
  forget_old(now);
  const Duration until = now + horizon_;
  bool known = false;
  for (Owed& owed : owed_) {
    if (!fits(frame, owed.asked)) continue;
    owed.until = until;
    owed.held = known = true;
  }
  if (known) return;
  for (const auto& [job, last] : last_answered_) {
    const bool recent = last.at + horizon_ > now;
    if (recent && fits(frame, last.asked)) owed_.push_back({last.request, last.asked, until, true});
  }
}

bool LateAnswers::may_be_anothers(std::uint64_t request, const modbus::Frame& frame,
                                  Duration now) const {
  return std::any_of(owed_.begin(), owed_.end(), [&](const Owed& owed) {
    return owed.until > now && owed.request != request && fits(frame, owed.asked);
  });
}

std::optional<Duration> LateAnswers::held_until(const Asked& asked, Duration now) const {
  std::optional<Duration> until;
  for (const Owed& owed : owed_) {
    if (!owed.held || owed.until <= now || !answered_alike(owed.asked, asked)) continue;
    until = std::max(until.value_or(owed.until), owed.until);
  }
  return until;
}

bool LateAnswers::expects(std::uint8_t unit, Duration now) const {
  return std::any_of(owed_.begin(), owed_.end(),
                     [&](const Owed& owed) { return owed.until > now && owed.asked.unit == unit; });
}

}  // namespace greymet::engine
