// What `probe` finds out by trying: who answers, under which settings, and how much at once.
#include <algorithm>
#include <array>
#include <memory>

#include <fmt/format.h>

#include "probe_session.h"
#include "probe_words.h"

namespace greymet::cli::internal {

using engine::ProbeAnswer;
using engine::ProbeBlock;
using tables::Mood;
using tables::State;

namespace {

std::string cause_text(const engine::RequestRecord& record, const ProbeBlock& block) {
  return answer_text({record.outcome, record.cause, record.exception, record.words, {}}, block);
}

// Two, four, eight requests on one connection, until not all are answered.
tl::expected<void, live::LiveError> requests_at_once(const model::ResolvedPlan& plan,
                                                     std::size_t slave, const ProbeBlock& block,
                                                     live::HandOptions how, ProbeFound& found,
                                                     engine::AtOnceAnswer& out) {
  const std::string& name = plan.plan.slaves[slave].name;
  const live::HandBlock asked{slave, block.area, block.first, block.count, false};
  for (std::int64_t n = 1; n <= engine::most_at_once; n *= 2) {
    how.at_once = n;
    const std::vector<live::HandBlock> blocks(static_cast<std::size_t>(n), asked);
    auto hand = live::Hand::open(plan, blocks, how);
    if (!hand) return tl::unexpected(hand.error());
    const auto records = (*hand)->read_all();
    found.requests += records.size();
    const auto bad = std::find_if(records.begin(), records.end(), [](const auto& r) {
      return r.outcome != engine::Outcome::good && r.outcome != engine::Outcome::exception;
    });
    const auto good = std::count_if(records.begin(), records.end(), [](const auto& r) {
      return r.outcome == engine::Outcome::good || r.outcome == engine::Outcome::exception;
    });
    found.answered = found.answered || good > 0;
    found.answers.push_back(
        {name, "at once", fmt::format("{} request{}", n, n == 1 ? "" : "s"),
         bad == records.end() ? std::string("all answered")
                              : fmt::format("{} answered, then {}", good, cause_text(*bad, block)),
         bad == records.end() ? State{"answered", Mood::good} : State{"too many", Mood::plain}});
    if (bad != records.end()) {
      if (n > 1) out.too_many = n;
      return {};
    }
    out.requests = n;
    if (!(*hand)->wait(std::chrono::milliseconds(100))) return {};
  }
  return {};
}

// One more connection at a time, until one is refused or another one closed for it.
void connections_at_once(const model::ResolvedPlan& plan, std::size_t slave,
                         const ProbeBlock& block, const live::HandOptions& how, ProbeFound& found,
                         engine::AtOnceAnswer& out) {
  const std::string& name = plan.plan.slaves[slave].name;
  std::vector<std::unique_ptr<live::Hand>> open;
  while (static_cast<std::int64_t>(open.size()) < engine::most_at_once) {
    auto hand = live::Hand::open(plan, {{slave, block.area, block.first, block.count, false}}, how);
    std::string failed;
    if (!hand) {
      failed = hand.error().message;
    } else {
      const engine::RequestRecord record = (*hand)->read();
      if (record.outcome == engine::Outcome::unfinished) return;
      ++found.requests;
      const bool answered =
          record.outcome == engine::Outcome::good || record.outcome == engine::Outcome::exception;
      if (!answered) failed = cause_text(record, block);
    }
    for (const auto& earlier : open) {
      (void)earlier->wait(std::chrono::milliseconds(20));
      if (failed.empty() && !earlier->is_connected()) failed = "it closes an earlier one for it";
    }
    const std::size_t number = open.size() + 1;
    found.answers.push_back(
        {name, "connections", fmt::format("{} at once", number),
         failed.empty() ? std::string("open, and answered") : failed,
         failed.empty() ? State{"open", Mood::good} : State{"too many", Mood::plain}});
    if (!failed.empty()) {
      out.last_connection = static_cast<std::int64_t>(number);
      return;
    }
    open.push_back(std::move(*hand));
    out.connections = static_cast<std::int64_t>(open.size());
  }
}

}  // namespace

tl::expected<void, live::LiveError> probe_at_once(const model::ResolvedPlan& plan,
                                                  std::size_t slave, const live::HandOptions& how,
                                                  ProbeFound& found) {
  const ProbeBlock block = first_block(plan, slave, {});
  engine::AtOnceAnswer answer;
  if (auto done = requests_at_once(plan, slave, block, once(how), found, answer); !done) {
    return done;
  }
  // one that did not bear the first request gets no second connection
  if (answer.requests > 0 && !how.stop.stop_requested()) {
    connections_at_once(plan, slave, block, once(how), found, answer);
  }
  engine::PlanLines lines(plan, slave);
  lines.add(answer);
  const engine::ProbeLines settled = lines.take();
  const std::string& name = plan.plan.slaves[slave].name;
  found.lines.add(slave, name, settled);
  for (const engine::SettledKey& each : settled.keys) found.open = found.open || each.contradicts;
  for (const std::string& each : settled.by_hand) {
    found.by_hand.push_back(fmt::format("{}: {}", name, each));
  }
  found.open = found.open || answer.requests == 0 || !settled.by_hand.empty();
  return {};
}

tl::expected<void, live::LiveError> probe_units(const model::ResolvedPlan& plan, std::size_t slave,
                                                const std::vector<std::int64_t>& units,
                                                const live::HandOptions& how, ProbeFound& found) {
  model::Plan wider = plan.plan;
  std::vector<live::HandBlock> blocks;
  for (const std::int64_t unit : units) {
    model::Slave other = plan.plan.slaves[slave];
    other.name = fmt::format("unit {}", unit);
    other.unit = model::Located<std::int64_t>{unit, {}};
    other.settings = {};
    blocks.push_back({wider.slaves.size(), model::Area::holding_register, 0, 1, false});
    wider.slaves.push_back(std::move(other));
  }
  model::Findings ignored;
  const model::ResolvedPlan resolved = model::resolve(std::move(wider), ignored);
  auto hand = live::Hand::open(resolved, blocks, once(how));
  if (!hand) return tl::unexpected(hand.error());
  for (std::size_t i = 0; i < units.size(); ++i) {
    const engine::RequestRecord record = (*hand)->read(i);
    if (record.outcome == engine::Outcome::unfinished) break;
    ++found.requests;
    const ProbeAnswer answer{record.outcome, record.cause, record.exception, record.words, {}};
    const bool there = answer.is_good() || answer.outcome == engine::Outcome::exception;
    const bool something = there || record.cause == engine::Cause::broken_frame ||
                           record.cause == engine::Cause::other_answer;
    found.answered = found.answered || there;
    std::string known;
    for (const model::Slave& each : plan.plan.slaves) {
      const bool same_wire = each.line && plan.plan.slaves[slave].line
                                 ? each.line->value == plan.plan.slaves[slave].line->value
                                 : each.host && plan.plan.slaves[slave].host &&
                                       each.host->value == plan.plan.slaves[slave].host->value;
      if (same_wire && each.unit && each.unit->value == units[i]) known = each.name;
    }
    found.answers.push_back({known.empty() ? "-" : known, "unit", fmt::format("{}", units[i]),
                             answer_text(answer, {model::Area::holding_register, 0, 1}),
                             there
                                 ? (known.empty() ? State{"there, and not in the plan", Mood::warn}
                                                  : State{"there", Mood::good})
                             : something     ? State{"something answers", Mood::warn}
                             : known.empty() ? State{"nobody", Mood::soft}
                                             : State{"missing", Mood::bad}});
    found.open = found.open || (there && known.empty()) || (!there && !known.empty());
  }
  return {};
}

namespace {

struct UsualSettings {
  std::int64_t baud;
  std::string_view format;
  model::SerialMode mode;
};
// As devices leave their makers, the most usual first.
constexpr std::array<UsualSettings, 12> usual_settings{{
    {19200, "8E1", model::SerialMode::rtu},
    {9600, "8N1", model::SerialMode::rtu},
    {9600, "8E1", model::SerialMode::rtu},
    {19200, "8N1", model::SerialMode::rtu},
    {38400, "8N1", model::SerialMode::rtu},
    {38400, "8E1", model::SerialMode::rtu},
    {115200, "8N1", model::SerialMode::rtu},
    {57600, "8N1", model::SerialMode::rtu},
    {115200, "8E1", model::SerialMode::rtu},
    {4800, "8N1", model::SerialMode::rtu},
    {9600, "7E1", model::SerialMode::ascii},
    {19200, "7E1", model::SerialMode::ascii},
}};

}  // namespace

tl::expected<void, live::LiveError> probe_settings(const model::ResolvedPlan& plan,
                                                   std::size_t slave, const live::HandOptions& how,
                                                   ProbeFound& found) {
  const std::string& name = plan.plan.slaves[slave].name;
  const auto line_index = plan.slave_line[model::SlaveIndex(slave)];
  for (const UsualSettings& usual : usual_settings) {
    if (how.stop.stop_requested()) break;
    model::Plan other = plan.plan;
    other.slaves[slave].settings = {};
    model::SerialSettings& settings = other.lines[line_index->value].settings;
    settings.baud = model::Located<std::int64_t>{usual.baud, {}};
    settings.format =
        model::Located<model::CharacterFormat>{*model::character_format_from(usual.format), {}};
    settings.mode = model::Located<model::SerialMode>{usual.mode, {}};
    model::Findings ignored;
    const model::ResolvedPlan resolved = model::resolve(std::move(other), ignored);
    const ProbeBlock block = first_block(plan, slave, {});
    auto hand = live::Hand::open(resolved, {{slave, block.area, block.first, block.count, false}},
                                 once(how));
    if (!hand) return tl::unexpected(hand.error());
    const engine::RequestRecord record = (*hand)->read();
    if (record.outcome == engine::Outcome::unfinished) break;
    ++found.requests;
    const ProbeAnswer answer{record.outcome, record.cause, record.exception, record.words, {}};
    const bool there = answer.is_good() || answer.outcome == engine::Outcome::exception;
    found.answers.push_back(
        {name, "settings", fmt::format("{} {} {}", usual.baud, usual.format, to_string(usual.mode)),
         answer_text(answer, block),
         there ? State{"it answers", Mood::good} : State{"no", Mood::soft}});
    if (!there) continue;
    found.answered = true;
    const model::Line& stated = plan.plan.lines[line_index->value];
    found.by_hand.push_back(fmt::format("line {}: mode = \"{}\", baud = {}, format = \"{}\"",
                                        stated.name, to_string(usual.mode), usual.baud,
                                        usual.format));
    return {};
  }
  found.open = true;
  found.remarks.push_back(
      fmt::format("{} answers under none of the usual settings: look at its "
                  "unit, its wiring and its termination",
                  name));
  return {};
}

}  // namespace greymet::cli::internal
