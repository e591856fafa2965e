#include "files/cures.h"

#include <algorithm>
#include <map>
#include <set>
#include <sstream>
#include <tuple>

#include <fmt/format.h>
#include <dtl/dtl.hpp>

#include "checks/catalogue.h"
#include "files/source_text.h"
#include "model/resolved_plan.h"

namespace greymet::files {

using model::Finding;
using model::Findings;
using model::Fix;
using model::Severity;

namespace {

constexpr int most_passes = 10;
constexpr int most_offers = 100;                // carried out, one by one
constexpr std::size_t most_single_tries = 200;  // of one run
// What one look at the plan is worth, in transactions: rows of maps and tables are read again.
std::size_t work_of(const model::ResolvedPlan& plan) {
  std::size_t rows = plan.tags.size();
  for (const model::RegisterMap& map : plan.plan.maps) rows += map.points().size();
  return plan.plan.transactions.size() + rows / 10 + 20;
}

// Findings by what they are about; places move with every edit.
using Key = std::pair<model::RuleCode, model::Subject>;
struct Count {
  std::size_t all = 0;
  std::map<Severity, std::size_t> by_severity;
};
using Counts = std::map<Key, Count>;

Key key_of(const Finding& f) {
  return {f.rule, f.subject};
}

void count(const Findings& findings, Counts& counts) {
  for (const Finding& f : findings) {
    Count& own = counts[key_of(f)];
    ++own.all;
    ++own.by_severity[f.severity];
    count(f.explains, counts);
  }
}

// What was found, said or only explained: a cure that uncovers what stood there has not brought it.
Counts counts_of(const Findings& findings) {
  Counts counts;
  count(findings, counts);
  return counts;
}

// Of this severity or a higher one: a finding that became milder is not a new one.
std::size_t count_of(const Counts& counts, const Key& key, Severity severity) {
  const auto at = counts.find(key);
  if (at == counts.end()) return 0;
  std::size_t count = 0;
  for (const auto& [each, number] : at->second.by_severity) count += each >= severity ? number : 0;
  return count;
}

// What has come that a cure of this severity may not bring: of the same severity or a higher one.
std::optional<Finding> brought(const Counts& before, const Findings& after, Severity severity) {
  const Counts now = counts_of(after);
  for (const Finding& f : after) {
    if (f.severity < severity) continue;
    const Key key = key_of(f);
    if (count_of(now, key, f.severity) > count_of(before, key, f.severity)) return f;
  }
  return std::nullopt;
}

// What stands in the files with these edits, and what is found then.
struct Trial {
  LoadedPlan loaded;
  Findings findings;
};

class Trials {
 public:
  Trials(std::string plan, FileSource files) : plan_(std::move(plan)), files_(std::move(files)) {}

  [[nodiscard]] Trial look() const {
    Trial trial;
    trial.loaded = load_plan(plan_, with_texts(files_, texts_));
    trial.findings = checks::check(trial.loaded.plan, trial.loaded.findings);
    return trial;
  }
  [[nodiscard]] Trial look_with(const LoadedPlan& loaded,
                                const std::vector<TextEdit>& edits) const {
    Trials changed(plan_, files_);
    changed.texts_ = texts_;
    changed.take(loaded, edits);
    return changed.look();
  }
  void take(const LoadedPlan& loaded, const std::vector<TextEdit>& edits) {
    std::map<std::uint32_t, std::vector<TextEdit>> by_file;
    for (const TextEdit& edit : edits) by_file[edit.file].push_back(edit);
    for (const auto& [file, list] : by_file) {
      const SourceFile& source = loaded.sources[file];
      originals_.try_emplace(source.name, source.text);
      texts_[source.name] = edited(source.text, list);
    }
  }
  [[nodiscard]] std::vector<ChangedFile> changed() const {
    std::vector<ChangedFile> files;
    for (const auto& [name, text] : texts_) {
      if (originals_.at(name) != text) files.push_back({name, originals_.at(name), text});
    }
    return files;
  }

 private:
  std::string plan_;
  FileSource files_;
  std::map<std::string, std::string> texts_;
  std::map<std::string, std::string> originals_;
};

// A cure of a pass.
struct Chosen {
  const Finding* finding = nullptr;
  const Fix* fix = nullptr;
  std::vector<TextEdit> edits;
};

// Places that are taken: apart from each other, so that ends are in the order of begins.
class TakenPlaces {
 public:
  [[nodiscard]] bool touches(const TextEdit& edit) const {
    const auto behind = ends_.upper_bound({edit.file, edit.end});
    if (behind == ends_.begin()) return false;
    const auto& [begin, end] = *std::prev(behind);
    return begin.first == edit.file && end >= edit.begin;
  }
  void take(const TextEdit& edit) {
    std::size_t& end = ends_[{edit.file, edit.begin}];
    end = std::max(end, edit.end);
  }

 private:
  std::map<std::pair<std::uint32_t, std::size_t>, std::size_t> ends_;  // by file and begin
};

std::vector<TextEdit> all_edits(const std::vector<Chosen>& chosen) {
  std::vector<TextEdit> edits;
  for (const Chosen& c : chosen) edits.insert(edits.end(), c.edits.begin(), c.edits.end());
  std::stable_sort(edits.begin(), edits.end(), [](const TextEdit& a, const TextEdit& b) {
    return std::pair(a.file, a.begin) < std::pair(b.file, b.begin);
  });
  return edits;
}

// Every cured finding is gone, and nothing as grave as the mildest of them has come.
std::optional<Finding> broken_law(const Findings& before, const Trial& trial,
                                  const std::vector<Chosen>& chosen) {
  const Counts was = counts_of(before);
  const Counts now = counts_of(trial.findings);
  std::map<Key, std::size_t> cured;
  Severity mildest = Severity::error;
  for (const Chosen& c : chosen) {
    ++cured[key_of(*c.finding)];
    mildest = std::min(mildest, c.finding->severity);
  }
  for (const auto& [key, count] : cured) {
    const auto at = now.find(key);
    const std::size_t left = at == now.end() ? 0 : at->second.all;
    // what only a look at assumptions finds is not among those before
    const auto known = was.find(key);
    const std::size_t all = known == was.end() ? count : known->second.all;
    if (left + count <= all) continue;
    return *std::find_if(trial.findings.begin(), trial.findings.end(),
                         [&key = key](const Finding& f) { return key_of(f) == key; });
  }
  return brought(was, trial.findings, mildest);
}

class Curing {
 public:
  Curing(const std::string& plan, const FileSource& files, const checks::RuleSelection& selection,
         bool offers)
      : trials_(plan, files), selection_(selection), offers_(offers) {}

  Cures run() {
    Cures cures;
    Trial now = trials_.look();
    std::size_t tries = 0;
    while (cures.passes < (offers_ ? most_offers : most_passes)) {
      std::vector<Chosen> chosen = choose(now);
      if (chosen.empty()) break;
      one_offer(chosen);
      std::vector<Chosen> lawful = chosen;
      Trial next = trials_.look_with(now.loaded, all_edits(chosen));
      if (broken_law(now.findings, next, chosen)) {
        cures.left.clear();
        const Found found = one_by_one(now, chosen, tries, cures);
        if (found.chain) {
          ++cures.passes;
          cures.done.insert(cures.done.end(), found.chain->done.begin(), found.chain->done.end());
          trials_ = found.chain->trials;
          now = trials_.look();
          continue;
        }
        lawful = found.lawful;
        if (!lawful.empty()) next = trials_.look_with(now.loaded, all_edits(lawful));
        // each alone keeps the law; together they may not: then the first alone
        while (lawful.size() > 1 && broken_law(now.findings, next, lawful)) {
          lawful.resize(lawful.size() / 2);
          next = trials_.look_with(now.loaded, all_edits(lawful));
        }
      }
      if (lawful.empty()) break;
      ++cures.passes;
      for (const Chosen& c : lawful) cures.done.push_back({*c.finding, c.fix->title, {}});
      trials_.take(now.loaded, all_edits(lawful));
      now = std::move(next);
    }
    cures.findings = std::move(now.findings);
    std::erase_if(cures.findings, [&](const Finding& f) { return !selection_.includes(f.rule); });
    // what a later pass could do is not left
    std::erase_if(cures.left, [&](const CuredFinding& left) {
      return std::any_of(cures.done.begin(), cures.done.end(), [&](const CuredFinding& done) {
        return key_of(done.finding) == key_of(left.finding) && done.title == left.title;
      });
    });
    cures.files = trials_.changed();
    cures.loaded = std::move(now.loaded);
    return cures;
  }

 private:
  [[nodiscard]] const Fix* fix_of(const Finding& f) const {
    for (const Fix& fix : f.fixes) {
      if (fix.certain || (offers_ && (!fix.is_question || is_asked_for(f)))) return &fix;
    }
    return nullptr;
  }

  // What is certain goes together. Offers go one at a time, what is nearest to the source first,
  // and then all is looked at again: the next may have been a consequence.
  static void one_offer(std::vector<Chosen>& chosen) {
    const bool any_certain =
        std::any_of(chosen.begin(), chosen.end(), [](const Chosen& c) { return c.fix->certain; });
    if (any_certain) {
      std::erase_if(chosen, [](const Chosen& c) { return !c.fix->certain; });
      return;
    }
    const auto first =
        std::min_element(chosen.begin(), chosen.end(), [](const Chosen& a, const Chosen& b) {
          const auto key = [](const Chosen& c) {
            return std::pair(-static_cast<int>(c.finding->severity), distance(*c.finding));
          };
          return key(a) < key(b);
        });
    if (first != chosen.begin()) std::iter_swap(chosen.begin(), first);
    chosen.resize(1);
  }
  // From the source: what cannot be read, the network, a block, what becomes of it.
  static int distance(const Finding& f) {
    switch (f.subject.kind) {
      case model::SubjectKind::tag: return 4;
      case model::SubjectKind::copy:
      case model::SubjectKind::heartbeat:
      case model::SubjectKind::path:
      case model::SubjectKind::accept: return 3;
      case model::SubjectKind::transaction:
      case model::SubjectKind::want: return to_string(f.rule).starts_with('P') ? 0 : 2;
      default: return to_string(f.rule).starts_with('P') ? 0 : 1;
    }
  }

  // What is only more comfortable, where its rule was named.
  [[nodiscard]] bool is_asked_for(const Finding& f) const {
    return f.severity == Severity::note &&
           std::any_of(selection_.picked.begin(), selection_.picked.end(),
                       [&](const std::string& p) { return p == to_string(f.rule); });
  }

  // Cures that do not touch each other, in the order of the findings.
  [[nodiscard]] std::vector<Chosen> choose(const Trial& now) const {
    std::vector<Chosen> chosen;
    TakenPlaces taken;
    FixWriter writer(now.loaded);
    for (const Finding& f : now.findings) {
      const Fix* fix = selection_.includes(f.rule) ? fix_of(f) : nullptr;
      if (fix == nullptr || refused_.contains({key_of(f), fix->title})) continue;
      auto edits = writer.edits_of(*fix);
      if (!edits || edits->empty()) continue;
      const bool free = std::none_of(edits->begin(), edits->end(),
                                     [&](const TextEdit& e) { return taken.touches(e); });
      if (!free) continue;
      for (const TextEdit& edit : *edits) taken.take(edit);
      chosen.push_back({&f, fix, std::move(*edits)});
    }
    return chosen;
  }

  // A cure that uncovers what other cures then put right: together they keep the law.
  struct Chain {
    Trials trials;
    std::vector<CuredFinding> done;
  };
  struct Found {
    std::vector<Chosen> lawful;
    std::optional<Chain> chain;  // where no cure alone is lawful
  };

  [[nodiscard]] std::optional<Chain> chain_from(const Trial& now, const Chosen& first, Trial trial,
                                                std::size_t& tries) const {
    Chain chain{trials_, {{*first.finding, first.fix->title, {}}}};
    chain.trials.take(now.loaded, first.edits);
    std::set<Key> members{key_of(*first.finding)};
    const Counts was = counts_of(now.findings);
    for (int step = 0; step < most_passes; ++step) {
      const Counts left = counts_of(trial.findings);
      const bool cured = std::all_of(members.begin(), members.end(), [&](const Key& key) {
        const auto before = was.find(key);
        const auto after = left.find(key);
        return after == left.end() ||
               (before != was.end() && after->second.all < before->second.all);
      });
      if (cured && !brought(was, trial.findings, first.finding->severity)) return chain;
      std::vector<Chosen> more = choose(trial);
      // only what has come and may not: others answer for themselves
      std::erase_if(more, [&](const Chosen& c) {
        if (c.finding->severity < first.finding->severity) return true;
        const auto before = was.find(key_of(*c.finding));
        return before != was.end() && left.at(key_of(*c.finding)).all <= before->second.all;
      });
      if (more.empty() || ++tries > most_single_tries) return std::nullopt;
      for (const Chosen& c : more) {
        chain.done.push_back({*c.finding, c.fix->title, {}});
        members.insert(key_of(*c.finding));
      }
      chain.trials.take(trial.loaded, all_edits(more));
      trial = chain.trials.look();
    }
    return std::nullopt;
  }

  Found one_by_one(const Trial& now, const std::vector<Chosen>& chosen, std::size_t& tries,
                   Cures& cures) {
    Found found;
    std::vector<Chosen>& lawful = found.lawful;
    for (const Chosen& c : chosen) {
      if (++tries > most_single_tries) break;
      Trial trial = trials_.look_with(now.loaded, c.edits);
      const auto because = broken_law(now.findings, trial, {c});
      if (!because) {
        lawful.push_back(c);
        continue;
      }
      cures.left.push_back({*c.finding, c.fix->title, because});
      if (!found.chain) found.chain = chain_from(now, c, std::move(trial), tries);
    }
    // what one pass cannot do the next may: once others are cured
    if (!lawful.empty()) found.chain.reset();
    if (lawful.empty() && !found.chain) {
      for (const Chosen& c : chosen) refused_.insert({key_of(*c.finding), c.fix->title});
    }
    return found;
  }

  Trials trials_;
  const checks::RuleSelection& selection_;
  bool offers_;
  std::set<std::pair<Key, std::string>> refused_;
};

std::vector<std::string> lines_of(const std::string& text) {
  std::vector<std::string> lines;
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t end = std::min(text.find('\n', at), text.size());
    lines.push_back(text.substr(at, end - at));
    at = end + 1;
  }
  return lines;
}

}  // namespace

Cures carry_out_cures(const std::string& plan, const FileSource& files,
                      const checks::RuleSelection& selection, bool offers) {
  return Curing(plan, files, selection, offers).run();
}

Rewriting carry_out(const LoadedPlan& loaded, const FileSource& files, const Fix& fix,
                    Severity most) {
  Rewriting out;
  const auto edits = text_edits(loaded, fix);
  if (!edits || edits->empty()) {
    out.can_be_written = false;
    return out;
  }
  Trials trials(loaded.sources.front().name, files);
  const Counts was = counts_of(checks::check(loaded.plan, loaded.findings));
  trials.take(loaded, *edits);
  Findings after = trials.look().findings;
  // an accept that is not needed any more is no harm
  std::erase_if(after, [](const Finding& f) { return f.rule == model::RuleCode::P09; });
  out.because = brought(was, after, most);
  out.files = trials.changed();
  return out;
}

namespace {

// What the finding explains and its cure leaves is no consequence: it stands for itself again.
void tell_what_stays(Finding& f, const Findings& after, Findings& told) {
  std::set<Key> still;
  for (const Finding& each : after) still.insert(key_of(each));
  const auto stays =
      std::stable_partition(f.explains.begin(), f.explains.end(),
                            [&](const Finding& each) { return !still.contains(key_of(each)); });
  std::move(stays, f.explains.end(), std::back_inserter(told));
  f.explains.erase(stays, f.explains.end());
}

}  // namespace

void try_cures(const LoadedPlan& loaded, const Findings& found, const FileSource& files,
               Findings& findings, std::size_t most_work) {
  if (loaded.sources.empty()) return;
  const Trials trials(loaded.sources.front().name, files);
  const std::size_t cost = work_of(loaded.plan);
  std::size_t work = 0;
  FixWriter writer(loaded);
  Findings told;
  for (Finding& f : findings) {
    const bool had_words = !f.remedy.empty();
    bool is_first = true;
    std::erase_if(f.fixes, [&](Fix& fix) {
      work += cost;
      if (work > most_work) return true;
      auto edits = writer.edits_of(fix);
      if (!edits || edits->empty()) return true;
      const Trial trial = trials.look_with(loaded, *edits);
      if (const auto because = broken_law(found, trial, {{&f, &fix, *edits}})) {
        const bool uncovered = checks::hides_its_range(f.rule) && because->subject == f.subject &&
                               because->rule != f.rule;
        if (!uncovered && f.remedy.find(fix.title) != std::string::npos) f.remedy.clear();
        return true;
      }
      if (is_first) tell_what_stays(f, trial.findings, told);
      is_first = false;
      fix.edits.clear();
      for (const TextEdit& edit : *edits) {
        const SourceText source(loaded.sources[edit.file].text);
        fix.edits.push_back({source.range(edit.begin, edit.end, edit.file), edit.text});
      }
      return false;
    });
    // words that named a cure which breaks the law: the next one, or what is true of all such
    if (had_words && f.remedy.empty()) {
      f.remedy =
          f.fixes.empty() ? std::string(checks::entry_of(f.rule).remedy) : f.fixes.front().title;
    }
  }
  std::move(told.begin(), told.end(), std::back_inserter(findings));
  checks::sort_by_place(findings);
}

std::string unified_diff(const std::string& name, const std::string& before,
                         const std::string& after) {
  if (before == after) return {};
  dtl::Diff<std::string, std::vector<std::string>> diff(lines_of(before), lines_of(after));
  diff.onHuge();
  diff.compose();
  diff.composeUnifiedHunks();
  std::ostringstream out;
  out << "--- " << name << "\n+++ " << name << '\n';
  diff.printUnifiedFormat(out);
  return out.str();
}

}  // namespace greymet::files
