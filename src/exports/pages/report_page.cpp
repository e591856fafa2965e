// report.html: everything that is known of an exchange on one page, verdicts first.
#include <algorithm>

#include <fmt/format.h>

#include "checks/check.h"
#include "exports/report.h"
#include "html.h"
#include "measured_run.h"
#include "model/duration_text.h"
#include "model/memory_report.h"
#include "model/resolved_plan.h"
#include "model/utf8_text.h"
#include "network_drawing.h"
#include "tables/plan_tables.h"
#include "tables/timing_tables.h"

namespace greymet::exports {

using model::counted;
using model::Duration;

namespace {

std::string joined(const std::vector<std::string>& texts, std::string_view between = ", ") {
  return fmt::format("{}", fmt::join(texts, between));
}

class Report {
 public:
  explicit Report(const ReportInput& input)
      : input_(input),
        exchange_(input.exchange),
        plan_(input.exchange.plan),
        timing_(input.exchange.timing) {
    if (input.measured) measured_.emplace(*input.measured, exchange_.fingerprint);
  }

  std::string page() {
    const auto& title = plan_.plan.title;
    const std::string name = title ? title->value : input_.plan_file;
    body_ = fmt::format(
        "<h1>{}</h1>\n<p class=\"soft\">{}plan {}</p>\n<p class=\"fingerprint\">{}</p>\n",
        html(name),
        plan_.plan.revision ? "revision " + html(plan_.plan.revision->value) + ", " : "",
        html(input_.plan_file), html(exchange_.fingerprint));
    std::string sections;
    std::swap(sections, body_);
    verdicts();
    section("network", "Controllers, lines, slaves", [this] { body_ += network_svg(plan_); });
    section("settings", "What to set on each slave",
            [this] { body_ += table_html(tables::slaves_table(plan_)); });
    section("masters", "What to set on each controller",
            [this] { body_ += table_html(tables::masters_table(plan_)); });
    section("transactions", "Transactions",
            [this] { body_ += table_html(tables::transactions_table(plan_)); });
    section("timing", "Timing", [this] { timing(); });
    if (measured_) {
      section("measured", "Measured beside predicted", [this] { body_ += measured_->text(); });
    }
    section("heartbeats", "Heartbeats and paths", [this] { heartbeats(); });
    section("silence", "When a slave is silent", [this] { silence(); });
    section("points", "Every value, from both ends", [this] {
      body_ += table_html(tables::points_table(plan_, exchange_.points, exchange_.ages));
    });
    section("memory", "Memory", [this] { memory(); });
    section("findings", "Findings, and what was accepted", [this] { findings(); });
    section("open", "What was not judged",
            [this] { body_ += table_html(tables::not_judged_table(plan_)); });
    section("assumed", "What is assumed",
            [this] { body_ += table_html(tables::assumed_table(plan_)); });
    std::string nav = "<nav>";
    for (const auto& [id, heading] : headings_) {
      nav += fmt::format("<a href=\"#{}\">{}</a>", id, html(heading));
    }
    return page_html(name, sections + nav + "</nav>\n" + body_);
  }

 private:
  template <class Fill>
  void section(std::string_view id, std::string_view heading, const Fill& fill) {
    headings_.emplace_back(id, heading);
    body_ += fmt::format("<h2 id=\"{}\">{}</h2>\n", id, html(heading));
    fill();
  }

  void card(char kind, std::string_view head, std::string_view text) {
    body_ += fmt::format("<li class=\"{}\"><b>{}</b>{}</li>\n", kind, html(head), html(text));
  }

  void figures(FigurePlace place) {
    for (const ReportFigure& figure : input_.figures) {
      if (figure.place == place) body_ += picture_html(figure.svg, figure.caption);
    }
    const auto left_out = input_.figures_left_out.find(place);
    if (left_out == input_.figures_left_out.end()) return;
    body_ += fmt::format(
        "<p class=\"soft\">No pictures of {} more here; greymet {} -o DIR draws them.</p>\n",
        left_out->second, place == FigurePlace::memory ? "memory" : "timing");
  }

  // ---------------------------------------------------------------- verdicts

  void verdicts() {
    body_ += "<ul class=\"cards\">\n";
    const checks::Tally tally = checks::tally_of(exchange_.findings);
    card(tally.errors > 0     ? 'b'
         : tally.warnings > 0 ? 'w'
                              : 'g',
         "check",
         fmt::format("{}, {}, {}; {} accepted", counted(tally.errors, "error"),
                     counted(tally.warnings, "warning"), counted(tally.notes, "note"),
                     plan_.plan.accepts.size()));
    lines_card();
    heartbeats_card();
    silence_card();
    if (measured_ && measured_->is_result()) {
      card(!measured_->same_exchange() ? 'b'
           : measured_->passed()       ? 'g'
                                       : 'w',
           "measured", measured_->verdict());
    }
    body_ += "</ul>\n";
  }

  void lines_card() {
    const timing::LineReport* busiest = nullptr;
    std::uint64_t missed = 0;
    for (const timing::LineReport& line : timing_.lines) {
      if (busiest == nullptr || line.cyclic_percent > busiest->cyclic_percent) busiest = &line;
      for (const timing::TransactionReport& t : line.transactions) missed += t.missed;
    }
    if (busiest == nullptr) return;
    card(missed > 0 || busiest->overloaded() ? 'b' : 'g', "lines and connections",
         fmt::format("{}; the busiest is {} with {:.0f} %",
                     missed == 0 ? std::string("no release is missed, with longest durations")
                                 : fmt::format("{} releases missed", missed),
                     busiest->name, busiest->cyclic_percent));
  }

  void heartbeats_card() {
    if (timing_.heartbeats.empty() && timing_.paths.empty()) return;
    std::vector<std::string> bad;
    for (const timing::HeartbeatReport& h : timing_.heartbeats) {
      if (h.verdict != timing::HeartbeatVerdict::good) {
        bad.push_back(fmt::format("{}: {}", h.name, to_string(h.verdict)));
      }
    }
    for (const timing::PathReport& p : timing_.paths) {
      if (p.verdict != timing::PathVerdict::good) {
        bad.push_back(fmt::format("{}: {}", p.name, to_string(p.verdict)));
      }
    }
    card(bad.empty() ? 'g' : 'b', "heartbeats and paths",
         bad.empty() ? fmt::format("all {} good", timing_.heartbeats.size() + timing_.paths.size())
                     : joined(bad, "; "));
  }

  void silence_card() {
    const timing::Stall* worst = nullptr;
    for (const timing::Stall& stall : timing_.stalls.stalls) {
      if (!has_neighbours(plan_, timing_.model, timing_.stalls, stall)) continue;
      if (worst == nullptr || stall.first > worst->first) worst = &stall;
    }
    if (worst == nullptr) return;
    card(worst->first > std::chrono::seconds(1) ? 'w' : 'g', "one slave silent",
         fmt::format("keeps others waiting for {} at most ({})", model::in_ms(worst->first),
                     plan_.target_name(worst->silent)));
  }

  // ---------------------------------------------------------------- plan

  void timing() {
    body_ += table_html(tables::lines_table(timing_)) + table_html(tables::timing_table(timing_));
    figures(FigurePlace::lines);
  }

  void heartbeats() {
    body_ += table_html(tables::heartbeats_table(timing_));
    if (!timing_.paths.empty()) body_ += table_html(tables::paths_table(timing_));
    if (!timing_.tag_ages.empty()) body_ += table_html(tables::tag_ages_table(timing_));
    figures(FigurePlace::heartbeats);
    figures(FigurePlace::paths);
  }

  void silence() {
    body_ += table_html(tables::silent_slaves_table(plan_, timing_));
    figures(FigurePlace::silence);
  }

  void memory() {
    const model::MemoryReport report = memory_report(plan_);
    body_ += table_html(tables::memory_table(plan_, report)) +
             table_html(tables::registers_table(plan_, report));
    figures(FigurePlace::memory);
  }

  void findings() {
    body_ += table_html(tables::findings_table(plan_.plan.files, exchange_.findings));
    if (!plan_.plan.accepts.empty()) body_ += table_html(tables::accepts_table(plan_));
  }

  const ReportInput& input_;
  const ExportInput& exchange_;
  const model::ResolvedPlan& plan_;
  const timing::TimingReport& timing_;
  std::optional<MeasuredRun> measured_;
  std::string body_;
  std::vector<std::pair<std::string, std::string>> headings_;
};

}  // namespace

std::string report_page(const ReportInput& input) {
  return Report(input).page();
}

}  // namespace greymet::exports
