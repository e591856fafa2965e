#include "iec_requests.h"

#include <algorithm>

#include <fmt/format.h>
#include <fmt/ranges.h>

namespace greymet::exports {

using model::ExchangeTransaction;
using model::StatusKind;

namespace {

const model::Status* status_of(const ExchangeTransaction& t, StatusKind kind) {
  for (const model::Status& each : t.status) {
    if (each.kind == kind) return &each;
  }
  return nullptr;
}

// Whether a bit says when a reply has come.
bool tells_news(const ExchangeTransaction& t) {
  return status_of(t, StatusKind::done) != nullptr || status_of(t, StatusKind::busy) != nullptr;
}

}  // namespace

IecRequests::IecRequests(const model::ResolvedPlan& plan, model::ControllerIndex controller,
                         const model::BitIndex& places, const std::vector<model::MemoryUse>& uses,
                         IecMemory& memory, model::UniqueNames& names)
    : plan_(plan),
      controller_(controller),
      places_(places),
      uses_(uses),
      memory_(memory),
      names_(names) {
  for (const ExchangeTransaction& t : plan.exchange.transactions) {
    if (t.controller != controller) continue;
    all_.push_back(&t);
    numbers_[t.transaction] = names_.take(in_capitals(iec_name("NO_" + t.name)));
  }
}

std::string IecRequests::name_of(const ExchangeTransaction& t) const {
  return fmt::format("requests[{}]", numbers_.at(t.transaction));
}

bool IecRequests::tells_failure(const ExchangeTransaction& t) {
  return status_of(t, StatusKind::failed) != nullptr;
}

std::string IecRequests::has_values(const ExchangeTransaction& t) const {
  const std::string name = name_of(t);
  if (status_of(t, StatusKind::done) != nullptr) return fmt::format("{0}.good AND {0}.done", name);
  if (status_of(t, StatusKind::busy) != nullptr) {
    return fmt::format("{0}.good AND NOT {0}.busy", name);
  }
  return name + ".good";
}

// What the plan's bits say. The edge that tells of a reply is taken before the bit is.
std::string IecRequests::status_text(const ExchangeTransaction& t) const {
  const std::string name = name_of(t);
  std::string text;
  const auto condition = [&](const model::Status& s) {
    return memory_.place(s.range.bits).condition();
  };
  const model::Status* failed = status_of(t, StatusKind::failed);
  if (failed != nullptr) text += fmt::format("  {}.failed := {};\n", name, condition(*failed));
  if (const model::Status* done = status_of(t, StatusKind::done)) {
    text += fmt::format(
        "  {0}.new_values := {1} AND NOT {0}.done AND NOT {0}.failed;\n"
        "  {0}.done := {1};\n",
        name, condition(*done));
  }
  if (const model::Status* busy = status_of(t, StatusKind::busy)) {
    if (status_of(t, StatusKind::done) == nullptr) {
      text += fmt::format("  {0}.new_values := {0}.busy AND NOT {1} AND NOT {0}.failed;\n", name,
                          condition(*busy));
    }
    text += fmt::format("  {}.busy := {};\n", name, condition(*busy));
  }
  if (const model::Status* code = status_of(t, StatusKind::exception)) {
    text +=
        fmt::format("  {}.exception := {};\n", name, memory_.place(code->range.bits).words.front());
  }
  if (failed == nullptr) return text;
  if (!tells_news(t)) return text + fmt::format("  {0}.good := NOT {0}.failed;\n", name);
  return text + fmt::format(
                    "  IF {0}.failed THEN\n    {0}.good := FALSE;\n"
                    "  ELSIF {0}.new_values THEN\n    {0}.good := TRUE;\n  END_IF;\n",
                    name);
}

bool IecRequests::is_owned(const model::BitRange& bit) const {
  for (const model::ResolvedTag& tag : plan_.tags) {
    if (tag.controller == controller_ && tag.memory && overlap(tag.memory->bits, bit)) return true;
  }
  const auto found = places_.overlapping(bit);
  return std::any_of(found.begin(), found.end(),
                     [&](std::size_t at) { return puts_something(uses_[at].purpose); });
}

// Starts and gates: nobody else puts them into memory.
std::string IecRequests::bits_text(const ExchangeTransaction& t) {
  std::string text;
  const auto add = [&](const std::optional<model::MemoryRange>& bit, const char* member) {
    if (!bit) return;
    if (is_owned(bit->bits)) {
      owned_.push_back(fmt::format("{} of {}", member, t.name));
      return;
    }
    text += memory_.place(bit->bits).set_text(name_of(t) + "." + member, "  ");
  };
  add(t.trigger.bit, "start");
  add(t.gate, "open");
  return text;
}

std::string IecRequests::follow_text(const ExchangeTransaction& t) {
  const std::string block = names_.take(iec_name("follow_" + t.name));
  own_.push_back(iec_variable(block, "GM_FOLLOW"));
  const auto truth = [](bool is) { return is ? "TRUE" : "FALSE"; };
  return fmt::format("  {}(good_is_told := {}, news_are_told := {}, request := {});\n", block,
                     truth(!tells_failure(t)), truth(!tells_news(t)), name_of(t));
}

std::string IecRequests::text(bool sends) {
  std::string text;
  for (const ExchangeTransaction* t : all_) {
    const std::string name = name_of(*t);
    text += "  " + iec_comment(t->name) + "\n";
    text += status_text(*t);
    if (t->read || t->on_loss || !t->status.empty()) text += follow_text(*t);
    if (t->on_loss) {
      const char* member = *t->on_loss == model::OnLoss::alarm  ? "alarm"
                           : *t->on_loss == model::OnLoss::warn ? "warning"
                           : *t->on_loss == model::OnLoss::stop ? "stop_request"
                                                                : nullptr;
      if (member != nullptr) text += fmt::format("  {0}.{1} := NOT {0}.good;\n", name, member);
    }
    text += bits_text(*t);
    std::string may = t->write && sends ? "send_values" : "TRUE";
    if (t->gate) may += " AND " + memory_.place(t->gate->bits).condition();
    text += fmt::format("  {}.may_send := {};\n", name, may);
  }
  return text;
}

std::vector<IecVariable> IecRequests::numbers() const {
  std::vector<IecVariable> out;
  out.reserve(all_.size());
  for (std::size_t i = 0; i < all_.size(); ++i) {
    IecVariable v = iec_variable(numbers_.at(all_[i]->transaction), "INT");
    v.initial = fmt::format("{}", i + 1);
    out.push_back(std::move(v));
  }
  return out;
}

std::optional<IecVariable> IecRequests::variable() const {
  if (all_.empty()) return std::nullopt;
  IecVariable v =
      iec_variable("requests", "GM_REQUEST",
                   "one for each row of `transactions`, which is what the driver needs");
  v.type.bounds = {1, all_.size()};
  return v;
}

std::vector<std::string> IecRequests::notes() const {
  std::vector<std::string> notes;
  std::vector<std::string> told;
  std::vector<std::string> unknown;
  for (const ExchangeTransaction* t : all_) {
    if (!t->read && !t->on_loss) continue;
    if (!tells_failure(*t)) {
      told.push_back(t->name);
    } else if (!tells_news(*t)) {
      unknown.push_back(t->name);
    }
  }
  const auto some = [](const std::vector<std::string>& names) {
    constexpr std::size_t most = 8;
    std::vector<std::string> shown(
        names.begin(), names.begin() + static_cast<std::ptrdiff_t>(std::min(most, names.size())));
    std::string text = fmt::format("{}", fmt::join(shown, ", "));
    if (names.size() > most) text += fmt::format(" and {} more", names.size() - most);
    return text;
  };
  if (!told.empty()) {
    notes.push_back(
        "tell `good` of these requests, TRUE while they are answered: the plan names no bit that "
        "says they failed, and until then they have no values: " +
        some(told));
  }
  if (!unknown.empty()) {
    notes.push_back(
        "of these only a failure is told, so that they are good from the first scan on; they are "
        "`valid` once `new_values` has been told: " +
        some(unknown));
  }
  if (!owned_.empty()) {
    notes.push_back("not put into memory, as tags of the plan, or something else, do that: " +
                    some(owned_));
  }
  return notes;
}

}  // namespace greymet::exports
