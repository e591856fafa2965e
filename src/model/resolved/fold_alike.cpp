// Rows of slaves that are alike, written once.
#include <algorithm>
#include <map>
#include <set>

#include <fmt/format.h>

#include "asking_memory.h"
#include "model/duration_text.h"
#include "model/resolved_plan.h"
#include "model/unfold_alike.h"

namespace greymet::model {
namespace {

template <class T>
bool same(const Declared<T>& a, const Declared<T>& b) {
  return a.has_value() == b.has_value() && (!a || a->value == b->value);
}

bool same_every(const Declared<Every>& a, const Declared<Every>& b) {
  return a.has_value() == b.has_value() &&
         (!a || (a->value.continuous == b->value.continuous && a->value.period == b->value.period));
}

bool same_address(const Declared<AddressText>& a, const Declared<AddressText>& b) {
  return a.has_value() == b.has_value() && (!a || a->value.text == b->value.text);
}

// But for name, slave, places and phase.
bool same_but_place(const Transaction& a, const Transaction& b) {
  return same(a.controller, b.controller) && same(a.function, b.function) &&
         same_address(a.block.at, b.block.at) && same(a.block.count, b.block.count) &&
         same_every(a.every, b.every) && same(a.on_loss, b.on_loss) && same(a.packing, b.packing) &&
         same(a.on, b.on) && same(a.min_gap, b.min_gap) && same(a.only_if, b.only_if);
}

std::int64_t phase_of(const Transaction& t) {
  return value_or(t.phase, Duration{}).count();
}

class Folding {
 public:
  Folding(const ResolvedPlan& resolved, const std::vector<Transaction>& rows)
      : resolved_(resolved), rows_(rows) {
    for (std::size_t i = 0; i < rows.size(); ++i) {
      if (rows[i].slave) of_slave_[rows[i].slave->value].push_back(i);
    }
  }

  std::vector<Transaction> run() {
    std::map<std::size_t, Transaction> at_first;
    std::set<std::size_t> gone;
    std::set<std::string> means_several;
    for (const AlikeSlaves& group : resolved_.plan.alike) {
      means_several.insert(group.name);
      fold(group, at_first, gone);
    }
    std::vector<Transaction> out;
    for (std::size_t i = 0; i < rows_.size(); ++i) {
      if (const auto row = at_first.find(i); row != at_first.end()) {
        out.push_back(row->second);
      } else if (gone.count(i) == 0) {
        out.push_back(rows_[i]);
        const bool several = rows_[i].slave && means_several.count(rows_[i].slave->value) > 0;
        if (several) out.back().alone = Located<bool>{true, {}};
      }
    }
    return out;
  }

 private:
  // Rows of the first slave that all others have too: each at the place of the first.
  void fold(const AlikeSlaves& group, std::map<std::size_t, Transaction>& at_first,
            std::set<std::size_t>& gone) const {
    if (group.members.size() < 2) return;
    for (const AlikeSlave& member : group.members) {
      if (member.offset || !member.offsets.empty()) return;
    }
    const AlikeSlave& first = group.members.front();
    const auto own = of_slave_.find(first.name);
    if (own == of_slave_.end()) return;
    for (const std::size_t i : own->second) {
      const std::size_t at = rows_[i].name.find(first.name);
      if (at == std::string::npos) continue;
      std::string common = rows_[i].name;
      common.replace(at, first.name.size(), group.name);
      std::vector<std::size_t> indices;
      for (const AlikeSlave& member : group.members) {
        const auto row = row_named(member.name, name_for(common, group.name, member));
        if (!row) break;
        indices.push_back(*row);
      }
      if (indices.size() != group.members.size()) continue;
      std::vector<const Transaction*> alike;
      alike.reserve(indices.size());
      for (const std::size_t index : indices) alike.push_back(&rows_[index]);
      auto row = one_for(group, common, alike);
      if (!row) continue;
      at_first.emplace(i, std::move(*row));
      gone.insert(indices.begin(), indices.end());
    }
  }

  [[nodiscard]] std::optional<std::size_t> row_named(const std::string& slave,
                                                     const std::string& name) const {
    const auto own = of_slave_.find(slave);
    if (own == of_slave_.end()) return std::nullopt;
    for (const std::size_t i : own->second) {
      if (rows_[i].name == name) return i;
    }
    return std::nullopt;
  }

  // One row that stands for these, one of each slave.
  [[nodiscard]] std::optional<Transaction> one_for(
      const AlikeSlaves& group, const std::string& name,
      const std::vector<const Transaction*>& alike) const {
    const Transaction& first = *alike.front();
    Transaction row = first;
    row.slave->value = group.name;
    row.name = name;
    const auto into = step_of(alike, &Transaction::into);
    const auto from = step_of(alike, &Transaction::from);
    if (!into || !from) return std::nullopt;
    if (row.into) row.into->value += fmt::format("+{}", *into);
    if (row.from) row.from->value += fmt::format("+{}", *from);
    const std::int64_t phase = phase_of(*alike[1]) - phase_of(first);
    if (phase < 0) return std::nullopt;
    if (phase > 0) row.phase_step = Located<Duration>{Duration(phase), {}};
    for (std::size_t k = 0; k < alike.size(); ++k) {
      const Transaction& t = *alike[k];
      const auto number = static_cast<std::int64_t>(k);
      if (!same_but_place(first, t) || phase_of(t) != phase_of(first) + phase * number) {
        return std::nullopt;
      }
    }
    return row;
  }

  // How far their places lie apart: equally, or nothing.
  [[nodiscard]] std::optional<std::int64_t> step_of(
      const std::vector<const Transaction*>& alike,
      Declared<std::string> Transaction::*place) const {
    std::vector<MemorySpot> spots;
    for (const Transaction* t : alike) {
      const auto& text = t->*place;
      if (!text) continue;
      const MemoryLayout* layout = asking_memory(resolved_, t->controller, t->slave->value);
      if (layout == nullptr) continue;
      const auto spot = layout->read(text->value);
      if (spot && spot->number) spots.push_back(*spot);
    }
    if (spots.empty()) return 0;
    if (spots.size() != alike.size()) return std::nullopt;
    const std::int64_t step = *spots[1].number - *spots[0].number;
    if (step < 0) return std::nullopt;
    for (std::size_t k = 1; k < spots.size(); ++k) {
      if (spots[k].area != spots[0].area || spots[k].bit != spots[0].bit ||
          *spots[k].number != *spots[0].number + step * static_cast<std::int64_t>(k)) {
        return std::nullopt;
      }
    }
    return step;
  }

  const ResolvedPlan& resolved_;
  const std::vector<Transaction>& rows_;
  std::map<std::string, std::vector<std::size_t>> of_slave_;
};

}  // namespace

std::vector<std::vector<std::size_t>> rows_written(const Plan& plan) {
  std::vector<std::vector<std::size_t>> rows;
  std::map<Subject, std::size_t> row_of;
  for (std::size_t i = 0; i < plan.transactions.size(); ++i) {
    const auto written = plan.written_as.find(subject_of(plan.transactions[i]));
    if (written == plan.written_as.end()) {
      rows.push_back({i});
      continue;
    }
    const auto [at, is_new] = row_of.try_emplace(written->second, rows.size());
    if (is_new) rows.emplace_back();
    rows[at->second].push_back(i);
  }
  return rows;
}

RowPhases phases_of_row(const std::vector<Duration>& phases) {
  RowPhases out{phases.front(), {}, true};
  if (phases.size() < 2) return out;
  out.step = std::max(phases[1] - phases[0], Duration{});
  for (std::size_t k = 0; k < phases.size(); ++k) {
    const auto due = out.phase + *out.step * static_cast<std::int64_t>(k);
    out.exact = out.exact && phases[k] == due;
  }
  return out;
}

std::vector<std::string> phase_texts(const Plan& before, const Plan& after) {
  std::vector<std::string> texts;
  for (const auto& row : rows_written(before)) {
    std::vector<Duration> old;
    std::vector<Duration> now;
    for (const std::size_t i : row) {
      old.push_back(value_or(before.transactions[i].phase, Duration{}));
      now.push_back(value_or(after.transactions[i].phase, Duration{}));
    }
    const RowPhases was = phases_of_row(old);
    const RowPhases is = phases_of_row(now);
    std::string text;
    if (was.phase != is.phase) text += fmt::format(" phase = \"{}\"", to_text(is.phase));
    if (was.step != is.step) text += fmt::format(" phase_step = \"{}\"", to_text(*is.step));
    if (text.empty()) continue;
    const Subject subject = subject_of(before.transactions[row.front()]);
    texts.push_back(written_name(before.written_as, subject) + text);
  }
  return texts;
}

std::vector<Transaction> fold_alike(const ResolvedPlan& resolved,
                                    const std::vector<Transaction>& rows) {
  return Folding(resolved, rows).run();
}

}  // namespace greymet::model
