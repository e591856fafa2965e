#include <algorithm>

#include <fmt/format.h>

#include "editor/features.h"
#include "files/cures.h"
#include "model/utf8_text.h"

namespace greymet::editor {

using files::Span;
using files::TextEdit;

namespace {

std::vector<NewText> changes_of(const std::vector<TextEdit>& edits) {
  std::vector<NewText> out;
  out.reserve(edits.size());
  for (const TextEdit& edit : edits) {
    out.push_back({{edit.file, {edit.begin, edit.end}}, edit.text});
  }
  return out;
}

bool touches(const PlanView& view, const model::Finding& f, std::uint32_t file, const Span& span) {
  if (f.place.file != file || f.place.file >= view.files()) return false;
  const Span own = view.span(f.place);
  return own.begin <= span.end && span.begin <= own.end;
}

// What `at` of an accept calls the subject: as it is written, where it stands for several.
std::string written_subject(const PlanView& view, const model::Subject& subject) {
  const auto& written_as = view.plan().plan.written_as;
  const auto written = written_as.find(subject);
  return to_text(written == written_as.end() ? subject : written->second);
}

// A title that fits a menu.
std::string short_title(const std::string& title) {
  constexpr std::size_t most = 100;
  if (model::code_points(title) <= most) return title;
  return title.substr(0, model::advance(title, 0, most - 3)) + "...";
}

// A row of `accepts`, where the plan has such rows; its reason is left to who knows it. Until one
// is written the plan is wrong: nothing is accepted without.
std::optional<NewText> acceptance(const PlanView& view, const model::Finding& f) {
  // what cannot be read is not accepted
  if (to_string(f.rule).starts_with('P')) return std::nullopt;
  const PlanText& text = view.plan_text();
  const std::string row = fmt::format("{{ rule = \"{}\", at = \"{}\", why = \"\" }}",
                                      to_string(f.rule), written_subject(view, f.subject));
  if (row.find('\n') != std::string::npos) return std::nullopt;
  const std::string_view whole = text.text();
  const TableText* review = nullptr;
  const KeyText* list = nullptr;
  const TableText* last_block = nullptr;
  for (const TableText& table : text.tables()) {
    if (table.path == "review" && table.is_header) {
      review = &table;
      list = text.find(table, "accepts");
    }
    if (table.path == "review.accepts" && table.is_header) last_block = &table;
  }
  if (last_block != nullptr) {
    std::size_t end = last_block->whole.end;
    while (end > 0 && (whole[end - 1] == '\n' || whole[end - 1] == ' ')) --end;
    return NewText{{0, {end, end}},
                   fmt::format("\n\n[[review.accepts]]\nrule = \"{}\"\nat = \"{}\"\nwhy = \"\"",
                               to_string(f.rule), written_subject(view, f.subject))};
  }
  if (list != nullptr && list->value.end > list->value.begin + 1 &&
      whole[list->value.end - 1] == ']') {
    const std::size_t close = list->value.end - 1;
    std::size_t before = close;
    while (before > list->value.begin && (whole[before - 1] == '\n' || whole[before - 1] == ' ' ||
                                          whole[before - 1] == '\t' || whole[before - 1] == '\r')) {
      --before;
    }
    const bool first = before == list->value.begin + 1;
    const bool comma = whole[before - 1] == ',';
    // behind a comment a comma would belong to it
    const std::size_t line = whole.rfind('\n', before);
    const std::string_view last_line =
        whole.substr(line == std::string_view::npos ? 0 : line + 1,
                     before - (line == std::string_view::npos ? 0 : line + 1));
    if (last_line.find('#') != std::string_view::npos && !first && !comma) return std::nullopt;
    return NewText{{0, {before, close}},
                   fmt::format("{}\n  {},\n", first || comma ? "" : ",", row)};
  }
  if (review != nullptr) {
    const std::size_t end = review->head.end;
    const std::size_t line = std::min(whole.find('\n', end), whole.size());
    return NewText{{0, {line, line}}, fmt::format("\naccepts = [\n  {},\n]", row)};
  }
  const bool ends = whole.empty() || whole.back() == '\n';
  return NewText{{0, {whole.size(), whole.size()}},
                 fmt::format("{}\n[review]\naccepts = [\n  {},\n]\n", ends ? "" : "\n", row)};
}

}  // namespace

std::vector<QuickFix> quick_fixes(const PlanView& view, std::uint32_t file, const Span& span) {
  std::vector<QuickFix> out;
  const Reading& reading = view.reading();
  constexpr std::size_t most_findings = 8;
  model::Findings here;
  std::vector<std::size_t> indices;
  for (std::size_t i = 0; i < reading.findings.size() && here.size() < most_findings; ++i) {
    if (!touches(view, reading.findings[i], file, span)) continue;
    here.push_back(reading.findings[i]);
    indices.push_back(i);
  }
  if (here.empty()) return out;
  // tried against what the plan states
  for (std::size_t i = 0; reading.is_plan && i < here.size(); ++i) {
    if (indices[i] < reading.is_tried.size() && reading.is_tried[indices[i]]) continue;
    model::Findings one{here[i]};
    files::try_cures(reading.loaded(), reading.findings, reading.task.files, one);
    if (!one.empty()) here[i] = std::move(one.front());
  }
  for (std::size_t i = 0; i < here.size(); ++i) {
    for (const model::Fix& fix : here[i].fixes) {
      const auto edits = files::text_edits(reading.loaded(), fix);
      if (!edits || edits->empty()) continue;
      out.push_back({short_title(fix.title), changes_of(*edits), fix.certain, indices[i]});
    }
  }
  for (std::size_t i = 0; i < here.size() && reading.is_plan; ++i) {
    if (auto change = acceptance(view, here[i])) {
      out.push_back({fmt::format("accept {} of {}, and write why", to_string(here[i].rule),
                                 to_text(here[i].subject)),
                     {std::move(*change)},
                     false,
                     indices[i]});
    }
  }
  return out;
}

std::vector<FileChange> all_certain_fixes(const PlanView& view) {
  std::vector<FileChange> out;
  const Reading& reading = view.reading();
  if (!reading.is_plan) return out;
  const files::Cures cures =
      files::carry_out_cures(reading.task.path, reading.task.files, {}, false);
  for (const files::ChangedFile& changed : cures.files) {
    if (!changed.before) continue;
    const std::string& before = *changed.before;
    const std::string& after = changed.after;
    // as little as differs, in whole lines: no character is cut
    const std::size_t most = std::min(before.size(), after.size());
    std::size_t same = 0;
    while (same < most && before[same] == after[same]) ++same;
    while (same > 0 && before[same - 1] != '\n') --same;
    std::size_t tail = 0;
    while (tail < most - same &&
           before[before.size() - 1 - tail] == after[after.size() - 1 - tail]) {
      ++tail;
    }
    while (tail > 0 && before[before.size() - tail - 1] != '\n') --tail;
    out.push_back({changed.name,
                   before,
                   {same, before.size() - tail},
                   after.substr(same, after.size() - tail - same)});
  }
  return out;
}

}  // namespace greymet::editor
