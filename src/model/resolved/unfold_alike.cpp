#include "model/unfold_alike.h"
#include "asking_memory.h"

#include <algorithm>
#include <unordered_map>
#include <utility>

#include <fmt/format.h>

#include "model/resolved_plan.h"

namespace greymet::model {
namespace {

using Text = Declared<std::string>;

constexpr std::size_t most_unfolded = 100'000;

// Nothing where an area alone is named, or what cannot be read.
std::optional<MemorySpot> numbered_spot(const MemoryLayout& layout, const std::string& text) {
  const auto spot = layout.read(text);
  if (!spot || !spot->number) return std::nullopt;
  return *spot;
}

// What a row names a place in memory for.
enum class Place : std::uint8_t { into, from, read_into, write_from, status, condition };

// Calls `act` with every place of a row.
template <class Act>
void for_each_place(Transaction& row, const Act& act) {
  act(row.into, Place::into);
  act(row.from, Place::from);
  act(row.on, Place::condition);
  act(row.only_if, Place::condition);
  const auto part = [&](std::shared_ptr<const BlockText>& block, Place place) {
    if (!block) return;
    BlockText changed = *block;
    act(changed.memory, place);
    block = std::make_shared<const BlockText>(std::move(changed));
  };
  part(row.read, Place::read_into);
  part(row.write, Place::write_from);
  if (!row.status) return;
  StatusText status = *row.status;
  for (Text* text : {&status.busy, &status.done, &status.failed, &status.exception}) {
    act(*text, Place::status);
  }
  row.status = std::make_shared<const StatusText>(std::move(status));
}

void drop_step(Text& text) {
  if (text) text->value = stepped_text(text->value).base;
}

// "fan.speed", by the part before the point.
std::string_view owner_of(const std::string& end) {
  return std::string_view(end).substr(0, end.find('.'));
}

void refuse_step(const Located<std::string>& text, const Subject& subject, Findings& findings) {
  findings.push_back(
      {.rule = RuleCode::P05,
       .severity = Severity::error,
       .place = text.place,
       .subject = subject,
       .message = fmt::format("'{}': there is no next slave to step on to", text.value),
       .remedy = "leave the step out, or let the row name slaves that are alike"});
}

// Cheaply, for plans of many rows: some place of it may have a step.
bool may_have_steps(const Transaction& row) {
  const auto has = [](const Text& text) {
    return text && text->value.find('+') != std::string::npos;
  };
  const bool in_status = row.status && (has(row.status->busy) || has(row.status->done) ||
                                        has(row.status->failed) || has(row.status->exception));
  return has(row.into) || has(row.from) || has(row.on) || has(row.only_if) || in_status ||
         (row.read && has(row.read->memory)) || (row.write && has(row.write->memory));
}

// Steps of a row that stands for one slave; what is left of its places is read as usual.
void refuse_steps(Transaction& row, Findings& findings) {
  if (!row.phase_step && !may_have_steps(row)) return;
  const Subject subject = subject_of(row);
  for_each_place(row, [&](Text& text, Place) {
    if (!text || !stepped_text(text->value).step) return;
    refuse_step(*text, subject, findings);
    drop_step(text);
  });
  if (row.phase_step) refuse_step({"phase_step", row.phase_step->place}, subject, findings);
}

class Unfolding {
 public:
  Unfolding(Plan& plan, Findings& findings) : plan_(plan), findings_(findings) {
    for (const AlikeSlaves& group : plan_.alike) group_of_.try_emplace(group.name, &group);
  }

  void run() {
    plan_rows_ = plan_.transactions;
    look_at_the_first();
    for (const AlikeSlaves& group : plan_.alike) {
      for (const AlikeSlave& member : group.members) {
        note({SubjectKind::slave, member.name}, {SubjectKind::slave, group.name});
      }
    }
    unfold_transactions();
    unfold_paths();
    unfold_wants();
    unfold_accepts();
  }

 private:
  [[nodiscard]] const AlikeSlaves* group_named(std::string_view name) const {
    const auto found = group_of_.find(std::string(name));
    return found == group_of_.end() ? nullptr : found->second;
  }
  [[nodiscard]] const AlikeSlaves* group_of(const Transaction& row) const {
    if (!row.slave || value_or(row.alone, false)) return nullptr;
    return group_named(row.slave->value);
  }

  // A few lines could stand for millions of rows: said once, and what is beyond is left out.
  bool fits(std::size_t there, std::size_t more, const Subject& subject, Range place) {
    if (there + more <= most_unfolded) return true;
    if (std::exchange(too_many_said_, true)) return false;
    findings_.push_back(
        {.rule = RuleCode::P05,
         .severity = Severity::error,
         .place = place,
         .subject = subject,
         .message = fmt::format("with what it stands for there are more than {} of its kind",
                                most_unfolded),
         .remedy = "split the plan"});
    return false;
  }

  void note(const Subject& subject, const Subject& written) {
    if (subject == written) {
      plan_.written_as[subject] = written;
      return;
    }
    plan_.written_as.try_emplace(subject, written);
  }

  // What the rows say of the first of all slaves: how much they move, and what their status takes.
  void look_at_the_first() {
    Plan first = plan_;
    first.paths.clear();
    first.wants.clear();
    for (Transaction& row : first.transactions) {
      const AlikeSlaves* group = group_of(row);
      if (group == nullptr) continue;
      row.slave->value = group->members.front().name;
      for_each_place(row, [](Text& text, Place) { drop_step(text); });
    }
    Findings ignored;
    first_ = resolve(std::move(first), ignored);
    for (const ResolvedTransaction& t : first_.transactions) {
      const Transaction& row = plan_.transactions[t.declared];
      const AlikeSlaves* group = group_of(row);
      if (group == nullptr || !t.controller || !row.status) continue;
      const MemoryLayout& layout = first_.layouts[*t.controller];
      const StatusText& status = *first_.declared(t).status;
      for (const Text* text : {&status.busy, &status.done, &status.failed, &status.exception}) {
        if (!*text) continue;
        const auto spot = numbered_spot(layout, (*text)->value);
        if (!spot) continue;
        auto [at, is_new] = status_.try_emplace({group, *t.controller, spot->area},
                                                std::pair(*spot->number, *spot->number));
        if (is_new) continue;
        at->second.first = std::min(at->second.first, *spot->number);
        at->second.second = std::max(at->second.second, *spot->number);
      }
    }
  }

  // How far behind it the place of the next slave lies where the row does not say.
  [[nodiscard]] std::int64_t usual_step(const AlikeSlaves& group, const ResolvedTransaction& t,
                                        Place place, std::size_t area) const {
    switch (place) {
      case Place::into:
      case Place::read_into: return t.into && !t.into->bit ? t.into->count : 1;
      case Place::from:
      case Place::write_from: return t.from && !t.from->bit ? t.from->count : 1;
      case Place::condition: return 0;
      case Place::status: break;
    }
    const auto taken = status_.find({&group, *t.controller, area});
    return taken == status_.end() ? 1 : taken->second.second - taken->second.first + 1;
  }

  // The address for one of the slaves.
  static std::string stepped(const MemoryLayout& layout, const std::string& base,
                             const MemorySpot& spot, std::int64_t step, const AlikeSlave& member) {
    const std::string& area = layout.controller().memory[spot.area].name;
    const auto own = member.offsets.find(area);
    const std::int64_t by = own != member.offsets.end() ? own->second
                            : member.offset             ? *member.offset
                                                        : step * member.number;
    if (by == 0) return base;
    const std::string name = layout.name_of(spot.area, *spot.number + by);
    return spot.bit ? fmt::format("{}.{}", name, *spot.bit) : name;
  }

  void unfold_transactions() {
    std::vector<Transaction> rows;
    rows.reserve(plan_.transactions.size());
    for (std::size_t i = 0; i < plan_.transactions.size(); ++i) {
      Transaction& row = plan_.transactions[i];
      const AlikeSlaves* group = group_of(row);
      if (group == nullptr) {
        refuse_steps(row, findings_);
        rows.push_back(std::move(row));
        continue;
      }
      if (!fits(rows.size(), group->members.size(), subject_of(row), row.place)) continue;
      const ResolvedTransaction& t = first_.transactions[i];
      for (const AlikeSlave& member : group->members) {
        rows.push_back(row_for(*group, member, row, t));
        note(subject_of(rows.back()), subject_of(row));
      }
    }
    plan_.transactions = std::move(rows);
  }

  Transaction row_for(const AlikeSlaves& group, const AlikeSlave& member, const Transaction& row,
                      const ResolvedTransaction& t) const {
    Transaction own = row;
    own.name = name_for(row.name, group.name, member);
    own.slave->value = member.name;
    if (row.phase_step) {
      if (!own.phase) own.phase = Located<Duration>{Duration{}, row.phase_step->place};
      own.phase->value += row.phase_step->value * member.number;
    }
    for_each_place(own, [&](Text& text, Place place) {
      if (!text) return;
      const SteppedText written = stepped_text(text->value);
      text->value = written.base;
      if (!t.controller) return;
      const MemoryLayout& layout = first_.layouts[*t.controller];
      const auto spot = numbered_spot(layout, written.base);
      if (!spot) return;
      if (place == Place::condition && !written.step) return;
      const std::int64_t step =
          written.step ? *written.step : usual_step(group, t, place, spot->area);
      text->value = stepped(layout, written.base, *spot, step, member);
    });
    return own;
  }

  // The step of the row of these slaves whose memory holds the place; 0 where none does.
  [[nodiscard]] std::int64_t step_of_row_at(const AlikeSlaves& group, std::size_t controller,
                                            const MemorySpot& spot) const {
    for (const ResolvedTransaction& t : first_.transactions) {
      if (group_of(plan_rows_[t.declared]) != &group) continue;
      if (!t.controller || *t.controller != ControllerIndex(controller)) continue;
      for (const auto* range : {&t.into, &t.from}) {
        if (!*range || (*range)->area != spot.area || *spot.number < (*range)->number ||
            *spot.number >= (*range)->number + (*range)->count) {
          continue;
        }
        const Transaction& row = plan_rows_[t.declared];
        const bool is_into = range == &t.into;
        const Text& text = is_into ? (row.read ? row.read->memory : row.into)
                                   : (row.write ? row.write->memory : row.from);
        const auto written = text ? stepped_text(text->value).step : std::nullopt;
        return written ? *written
                       : usual_step(group, t, is_into ? Place::into : Place::from, spot.area);
      }
    }
    return 0;
  }

  // An end of a path for one of the slaves.
  void step_end(Text& end, const AlikeSlaves& group, const AlikeSlave& member) const {
    if (!end) return;
    const SteppedText written = stepped_text(end->value);
    const std::string_view owner = owner_of(written.base);
    if (group_named(owner) == &group) {
      end->value = member.name + written.base.substr(owner.size());
      return;
    }
    end->value = written.base;
    if (owner.size() == written.base.size()) return;
    const std::string rest = written.base.substr(owner.size() + 1);
    for (std::size_t c = 0; c < first_.plan.controllers.size(); ++c) {
      if (first_.plan.controllers[c].name != owner) continue;
      const MemoryLayout& layout = first_.layouts[ControllerIndex(c)];
      const auto spot = numbered_spot(layout, rest);
      if (!spot) return;
      const std::int64_t step = written.step ? *written.step : step_of_row_at(group, c, *spot);
      end->value = fmt::format("{}.{}", owner, stepped(layout, rest, *spot, step, member));
      return;
    }
  }

  void unfold_paths() {
    std::vector<Path> paths;
    for (Path& path : plan_.paths) {
      const AlikeSlaves* group = nullptr;
      for (const Text* end : {&path.from, &path.to}) {
        if (*end && group == nullptr) group = group_named(owner_of((*end)->value));
      }
      if (group == nullptr) {
        paths.push_back(std::move(path));
        continue;
      }
      if (!fits(paths.size(), group->members.size(), subject_of(path), path.place)) continue;
      for (const AlikeSlave& member : group->members) {
        Path own = path;
        own.name = name_for(path.name, group->name, member);
        step_end(own.from, *group, member);
        step_end(own.to, *group, member);
        note(subject_of(own), subject_of(path));
        paths.push_back(std::move(own));
      }
    }
    plan_.paths = std::move(paths);
  }

  // The slaves that a want names, in the order of the plan.
  [[nodiscard]] std::vector<AlikeSlave> wanted_slaves(const std::string& name) const {
    if (const AlikeSlaves* group = group_named(name)) return group->members;
    std::vector<AlikeSlave> out;
    if (name.find('*') == std::string::npos) return out;
    for (const Slave& slave : plan_.slaves) {
      if (!matches_pattern(name, slave.name)) continue;
      out.push_back({slave.name, static_cast<std::int64_t>(out.size()), {}, {}});
    }
    return out;
  }

  void unfold_wants() {
    std::vector<Want> wants;
    for (Want& want : plan_.wants) {
      const auto slaves = want.slave ? wanted_slaves(want.slave->value) : std::vector<AlikeSlave>();
      if (slaves.empty()) {
        wants.push_back(std::move(want));
        continue;
      }
      const Subject subject{SubjectKind::want, fmt::format("{}", want.number)};
      if (!fits(wants.size(), slaves.size(), subject, want.place)) continue;
      for (const AlikeSlave& slave : slaves) {
        Want own = want;
        own.slave->value = slave.name;
        step_want(own, slave);
        wants.push_back(std::move(own));
      }
    }
    plan_.wants = std::move(wants);
  }

  // Without a step the values of all slaves lie one behind the other: how much each takes is known
  // once it is packed.
  void step_want(Want& want, const AlikeSlave& slave) const {
    for (Text* text : {&want.into, &want.from, &want.on, &want.only_if}) {
      if (!*text) continue;
      std::string& value = (*text)->value;
      const SteppedText written = stepped_text(value);
      value = written.base;
      const bool is_condition = text == &want.on || text == &want.only_if;
      if (!written.step && (is_condition || (!slave.offset && slave.offsets.empty()))) continue;
      const MemoryLayout* layout = asking_memory(first_, want.controller, slave.name);
      const auto spot = layout == nullptr ? std::nullopt : numbered_spot(*layout, written.base);
      if (spot) value = stepped(*layout, written.base, *spot, written.step.value_or(0), slave);
    }
  }

  // An accept of what is written once speaks about all that it stands for.
  void unfold_accepts() {
    std::map<std::string, std::vector<std::string>> stands_for;
    for (const auto& [subject, written] : plan_.written_as) {
      stands_for[to_text(written)].push_back(to_text(subject));
    }
    std::vector<Accept> accepts;
    for (Accept& accept : plan_.accepts) {
      const auto found = accept.at ? stands_for.find(accept.at->value) : stands_for.end();
      if (found == stands_for.end()) {
        accepts.push_back(std::move(accept));
        continue;
      }
      const Subject own{SubjectKind::accept, fmt::format("{}", accepts.size() + 1)};
      if (!fits(accepts.size(), found->second.size(), own, accept.place)) continue;
      for (const std::string& subject : found->second) {
        accepts.push_back(accept);
        accepts.back().written_at = accept.at->value;
        accepts.back().at->value = subject;
      }
    }
    plan_.accepts = std::move(accepts);
  }

  struct Taken {
    const AlikeSlaves* group;
    ControllerIndex controller;
    std::size_t area;
    friend auto operator<=>(const Taken&, const Taken&) = default;
  };

  Plan& plan_;
  Findings& findings_;
  bool too_many_said_ = false;
  std::unordered_map<std::string, const AlikeSlaves*> group_of_;
  ResolvedPlan first_;
  std::vector<Transaction> plan_rows_;  // as they are written
  std::map<Taken, std::pair<std::int64_t, std::int64_t>> status_;
};

}  // namespace

Plan unfold_alike(Plan plan, Findings& findings) {
  const bool patterns = std::any_of(plan.wants.begin(), plan.wants.end(), [](const Want& want) {
    return want.slave && want.slave->value.find('*') != std::string::npos;
  });
  if (!plan.alike.empty() || patterns) {
    Unfolding(plan, findings).run();
  } else {
    for (Transaction& row : plan.transactions) refuse_steps(row, findings);
  }
  return plan;
}

}  // namespace greymet::model
