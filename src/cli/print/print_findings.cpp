#include <algorithm>
#include <map>

#include <fmt/format.h>

#include "checks/catalogue.h"
#include "cli/print.h"
#include "cli/rewrite.h"
#include "files/exchange_export.h"
#include "files/source_text.h"
#include "model/fingerprint_word.h"
#include "model/utf8_text.h"

namespace greymet::cli {

using model::Finding;
using model::Range;
using model::Severity;

namespace {

Tint tint_of(Severity severity) {
  switch (severity) {
    case Severity::error: return Tint::red;
    case Severity::warning: return Tint::yellow;
    case Severity::note: return Tint::blue;
  }
  return Tint::none;
}

// A line as it is shown, one entry a column; `column_of` of each code point is where it begins. A
// tab is shown as one blank, so that carets stay right.
struct ShownLine {
  std::vector<std::string> columns;
  std::vector<std::size_t> column_of;
};

ShownLine shown_line(std::string_view line) {
  ShownLine out;
  for (std::size_t i = 0; i < line.size();) {
    const std::size_t next = model::advance(line, i, 1);
    const std::string_view point = line.substr(i, next - i);
    out.column_of.push_back(out.columns.size());
    const std::string text = point == "\t" ? " " : shown(point);
    if (text == point || text.size() == 1) {
      out.columns.push_back(text);
    } else {
      for (const char c : text) out.columns.emplace_back(1, c);  // an escape
    }
    i = next;
  }
  out.column_of.push_back(out.columns.size());
  return out;
}

// The files of a plan by lines, each looked through once.
class SourceLines {
 public:
  explicit SourceLines(const files::LoadedPlan& loaded) : loaded_(loaded) {}

  [[nodiscard]] std::string_view line(const Range& place) {
    const auto [at, is_new] = texts_.try_emplace(place.file, loaded_.sources[place.file].text);
    return at->second.line(place.line);
  }

 private:
  const files::LoadedPlan& loaded_;
  std::map<std::uint32_t, files::SourceText> texts_;
};

std::string place_text(const files::LoadedPlan& loaded, const Range& place) {
  const std::string name = shown(loaded.sources[place.file].name);
  return place.line == 0 ? name : fmt::format("{}:{}:{}", name, place.line, place.column);
}

// The source line with a caret below, cut to the width around the caret.
std::string excerpt(std::string_view line, const Range& place, std::size_t width) {
  constexpr std::size_t longest_shown = 20'000;  // a plan on one line: looking would take too long
  if (line.size() > longest_shown) {
    return fmt::format("{:>6} | (a line of {} bytes)\n", place.line, line.size());
  }
  const std::string margin = fmt::format("{:>6} | ", place.line);
  const std::size_t room = width > margin.size() + 20 ? width - margin.size() : 20;
  // only what can be seen is made ready to be shown
  const std::size_t point = place.column > 0 ? place.column - 1 : 0;
  const std::size_t before = std::min(point, room);
  const std::size_t begin = model::advance(line, 0, point - before);
  const std::size_t end_of_part = model::advance(line, begin, before + room);
  const ShownLine part = shown_line(line.substr(begin, end_of_part - begin));
  const auto& points = part.columns;
  const std::size_t behind = before - std::min(before, part.column_of.size() - 1);
  const std::size_t caret = part.column_of[before - behind] + behind;
  std::size_t first = 0;
  if (points.size() > room) {
    first = caret > room / 3 ? caret - room / 3 : 0;
    first = std::min(first, points.size() - room);
  }
  const std::size_t end = std::min(points.size(), first + room);
  std::string cut;
  for (std::size_t i = first; i < end; ++i) cut += points[i];
  return fmt::format("{}{}\n{}| {}^\n", margin, cut, std::string(margin.size() - 2, ' '),
                     std::string(caret >= first ? std::min(caret - first, room) : 0, ' '));
}

// "3 more follow from it: V01 (2), V06"; "13 more like it: tags/kiln.csv:65, 66, 67 and 10 more"
std::vector<std::string> follows_texts(const files::LoadedPlan& loaded, const Finding& f) {
  std::map<model::RuleCode, std::size_t> count;
  std::vector<Range> alike;
  for (const Finding& each : f.explains) {
    if (!f.about.empty() && each.rule == f.rule && each.about == f.about) {
      alike.push_back(each.place);
    } else {
      ++count[each.rule];
    }
  }
  std::vector<std::string> texts;
  if (!alike.empty()) {
    constexpr std::size_t most_places = 6;
    std::string places;
    for (std::size_t i = 0; i < alike.size() && i < most_places; ++i) {
      const bool same_file = i > 0 && alike[i].file == alike[i - 1].file;
      places += fmt::format("{}{}{}", i == 0 ? "" : ", ",
                            same_file ? "" : shown(loaded.sources[alike[i].file].name) + ":",
                            alike[i].line);
    }
    if (alike.size() > most_places)
      places += fmt::format(" and {} more", alike.size() - most_places);
    texts.push_back(fmt::format("{} more like it: {}", alike.size(), places));
  }
  if (!count.empty()) {
    std::string rules;
    std::size_t all = 0;
    for (const auto& [rule, number] : count) {
      rules += fmt::format("{}{}", rules.empty() ? "" : ", ", to_string(rule));
      if (number > 1) rules += fmt::format(" ({})", number);
      all += number;
    }
    texts.push_back(fmt::format("{} more follow{} from it: {}", all, all == 1 ? "s" : "", rules));
  }
  return texts;
}

// What it proposes; what only somebody who knows the plant can take is asked.
std::string remedy_text(const Finding& f) {
  const bool asks = !f.fixes.empty() && f.fixes.front().is_question &&
                    f.remedy.starts_with(f.fixes.front().title);
  if (!asks) return "fix: " + f.remedy;
  return f.severity == Severity::note
             ? "proposal: " + f.remedy
             : fmt::format("ask first: {} (the plan alone cannot tell)", f.remedy);
}

}  // namespace

void print_findings(const files::LoadedPlan& loaded, const model::Findings& findings,
                    const Terminal& terminal) {
  SourceLines lines(loaded);
  constexpr std::size_t indent = 14;
  // the gravest first; else in the order of the files
  std::vector<const Finding*> order;
  order.reserve(findings.size());
  for (const Finding& f : findings) order.push_back(&f);
  std::stable_sort(order.begin(), order.end(),
                   [](const Finding* a, const Finding* b) { return a->severity > b->severity; });
  for (const Finding* finding : order) {
    const Finding& f = *finding;
    const std::string place = place_text(loaded, f.place);
    const std::string head = fmt::format("{} {}", to_string(f.severity), to_string(f.rule));
    const std::string message = shown(f.message);
    const std::size_t column = place.size() + head.size() + to_text(f.subject).size() + 6;
    terminal.out << fmt::format(
        "{}: {}: {}: {}\n", place, tinted(terminal, tint_of(f.severity), head),
        tinted(terminal, Tint::bold, shown(to_text(f.subject))),
        terminal.folds ? folded(message, column, 7, terminal.width) : message);
    if (f.place.line > 0 && loaded.sources[f.place.file].may_be_quoted) {
      terminal.out << tinted(terminal, Tint::dim,
                             excerpt(lines.line(f.place), f.place, terminal.width));
    }
    if (!f.remedy.empty()) {
      terminal.out << "       = " << folded(shown(remedy_text(f)), 9, indent, terminal.width)
                   << '\n';
    }
    for (const std::string& text : follows_texts(loaded, f)) {
      terminal.out << "       = " << folded(text, 9, indent, terminal.width) << '\n';
    }
    for (const model::Related& related : f.related) {
      const std::string text =
          fmt::format("{}: {}", place_text(loaded, related.place), shown(related.text));
      terminal.out << "       = " << folded(text, 9, indent, terminal.width) << '\n';
    }
  }
}

std::string tally_text(const checks::Tally& tally) {
  using model::counted;
  return fmt::format("{}, {}, {}", counted(tally.errors, "error"),
                     counted(tally.warnings, "warning"), counted(tally.notes, "note"));
}

checks::RuleSelection rules_without_time() {
  checks::RuleSelection all;
  for (const checks::RuleEntry& entry : checks::catalogue()) {
    if (entry.needs == checks::Needs::plan) all.picked.emplace_back(to_string(entry.code));
  }
  return all;
}

UsablePlan load_usable_plan(const std::string& path, const Terminal& terminal,
                            const checks::RuleSelection& rules, const std::string& beside) {
  UsablePlan usable;
  mend(path, terminal);
  const files::FileSource source =
      beside.empty() ? files::disk_files() : files::or_beside(files::disk_files(), path, beside);
  usable.loaded = files::load_plan(path, source);
  usable.findings = checks::check(usable.loaded.plan, usable.loaded.findings, rules);
  model::Findings unreadable;
  std::size_t others = 0;
  for (const Finding& f : usable.findings) {
    if (f.severity != Severity::error) continue;
    if (to_string(f.rule).starts_with('P')) {
      unreadable.push_back(f);
    } else {
      ++others;
    }
  }
  if (!unreadable.empty()) {
    print_findings(usable.loaded, unreadable,
                   plain_terminal(terminal.err, terminal.err, terminal.width));
    terminal.err << fmt::format("greymet: {} cannot be used before this is corrected\n", path);
    usable.refused = exit_usage;
    return usable;
  }
  model::ResolvedPlan& plan = usable.loaded.plan;
  const auto& words = plan.fingerprint_words;
  if (std::any_of(words.begin(), words.end(), [](const auto& word) { return word.has_value(); })) {
    plan.fingerprint_word = model::fingerprint_word_of(files::fingerprint_of(plan));
  }
  if (others > 0) {
    terminal.err << fmt::format(
        "greymet: {} has {} error{} that `greymet check {}` explains; going on\n", path, others,
        others == 1 ? "" : "s", path);
  }
  return usable;
}

}  // namespace greymet::cli
