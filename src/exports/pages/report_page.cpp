// report.html: everything that is known of an exchange on one page, verdicts first.
#include <algorithm>

#include <fmt/format.h>

#include "checks/check.h"
#include "checks/not_judged.h"
#include "compare/measured_run.h"
#include "exports/report.h"
#include "html.h"
#include "model/duration_text.h"
#include "model/memory_report.h"
#include "model/resolved_plan.h"
#include "model/utf8_text.h"
#include "network_drawing.h"
#include "timing/watchdogs.h"

namespace greymet::exports {

using model::counted;
using model::Duration;

namespace {

std::string joined(const std::vector<std::string>& texts, std::string_view between = ", ") {
  return fmt::format("{}", fmt::join(texts, between));
}

std::string period_text(const model::Trigger& t) {
  if (t.kind == model::TriggerKind::cyclic) return model::to_text(t.period);
  const std::string gap =
      t.period > Duration{} ? ", at most every " + model::to_text(t.period) : "";
  return std::string(to_string(t.kind)) + gap;
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
    section("settings", "What to set on each slave", [this] { settings(); });
    section("transactions", "Transactions", [this] { transactions(); });
    section("timing", "Timing", [this] { timing(); });
    if (measured_) {
      section("measured", "Measured beside predicted", [this] { body_ += measured_->text(); });
    }
    section("heartbeats", "Heartbeats and paths", [this] { heartbeats(); });
    section("silence", "When a slave is silent", [this] { silence(); });
    section("points", "Every value, from both ends", [this] { points(); });
    section("memory", "Memory", [this] { memory(); });
    section("findings", "Findings, and what was accepted", [this] { findings(); });
    section("open", "What was not judged", [this] { open(); });
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
      if (busiest == nullptr || line.utilisation_percent > busiest->utilisation_percent)
        busiest = &line;
      for (const timing::TransactionReport& t : line.transactions) missed += t.missed;
    }
    if (busiest == nullptr) return;
    card(missed > 0 || busiest->utilisation_percent > 100 ? 'b' : 'g', "lines and connections",
         fmt::format("{}; the busiest is {} with {:.0f} %",
                     missed == 0 ? std::string("no release is missed, with longest durations")
                                 : fmt::format("{} releases missed", missed),
                     busiest->name, busiest->utilisation_percent));
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
      if (worst == nullptr || stall.first > worst->first) worst = &stall;
    }
    if (worst == nullptr) return;
    card(worst->first > std::chrono::seconds(1) ? 'w' : 'g', "one slave silent",
         fmt::format("keeps others waiting for {} at most ({})", model::in_ms(worst->first),
                     plan_.target_name(worst->silent)));
  }

  // ---------------------------------------------------------------- plan

  void settings() {
    HtmlTable table({"slave", "line or host", "unit", "mode", "baud", "format", "protocol",
                     "watchdog", ">reply, typical ms", ">longest ms"});
    for (std::size_t s = 0; s < plan_.exchange.slaves.size(); ++s) {
      const model::ExchangeSlave& slave = plan_.exchange.slaves[s];
      const auto& declared = plan_.plan.slaves[s];
      const model::ExchangeLine* line = slave.line ? &plan_.exchange.lines[*slave.line] : nullptr;
      table.row({html(slave.name),
                 line != nullptr ? "line " + html(line->name)
                                 : html(fmt::format("{}:{}", slave.host.value_or("-"), slave.port)),
                 slave.unit ? std::to_string(slave.unit->value) : "–",
                 line != nullptr && line->mode ? html(to_string(*line->mode)) : "–",
                 line != nullptr && line->baud ? std::to_string(*line->baud) : "–",
                 line != nullptr && line->format ? html(to_text(*line->format)) : "–",
                 line != nullptr ? html(to_string(line->medium)) : "TCP",
                 declared.watchdog ? html(model::to_text(declared.watchdog->value)) : "–",
                 ms_html(slave.reply.typical), ms_html(slave.reply.max)});
    }
    body_ += table.text("the plan has no slaves");
  }

  std::string block_text(const model::ExchangeTransaction& t, bool reads) const {
    const auto& block = reads ? t.read : t.write;
    const auto& memory = reads ? t.into : t.from;
    if (!block) return {};
    return fmt::format("{} {}:{}, {} {} {}", reads ? "reads" : "writes", short_name(block->area),
                       block->offset, block->quantity, reads ? "into" : "from",
                       memory ? plan_.layouts[t.controller].name_of(*memory) : "nowhere");
  }

  void transactions() {
    for (std::size_t c = 0; c < plan_.exchange.controllers.size(); ++c) {
      body_ += fmt::format("<h3>controller {}</h3>\n", html(plan_.exchange.controllers[c].name));
      HtmlTable table(
          {"name", "slave", ">fc", "block", "when", ">phase ms", "on loss", "trigger, gate"});
      for (const model::ExchangeTransaction& t : plan_.exchange.transactions) {
        if (t.controller != model::ControllerIndex(c)) continue;
        const model::MemoryLayout& layout = plan_.layouts[c];
        std::vector<std::string> blocks;
        for (const bool reads : {true, false}) {
          if (const std::string text = block_text(t, reads); !text.empty())
            blocks.push_back(html(text));
        }
        std::vector<std::string> bits;
        if (t.trigger.bit) bits.push_back("on " + layout.name_of(*t.trigger.bit));
        if (t.gate) bits.push_back("only if " + layout.name_of(*t.gate));
        table.row({html(t.name), html(plan_.target_name(t.target)),
                   std::to_string(number_of(t.function)), joined(blocks, "<br>"),
                   html(period_text(t.trigger)),
                   t.trigger.kind == model::TriggerKind::cyclic ? ms_html(t.trigger.phase) : "–",
                   t.on_loss ? html(to_string(*t.on_loss)) : "–", html(joined(bits))});
      }
      body_ += table.text("it is master of nothing");
    }
  }

  // ---------------------------------------------------------------- timing

  void timing() {
    for (const timing::LineReport& line : timing_.lines) {
      body_ += fmt::format("<h3>{} <span class=\"soft\">{}, use {:.2f} %</span></h3>\n",
                           html(line.name), html(line.description), line.utilisation_percent);
      if (line.transactions.empty()) continue;
      HtmlTable table({"transaction", ">request bytes", ">reply bytes", ">typical ms",
                       ">longest ms", ">period ms", ">response bound ms", ">any phases ms",
                       ">simulated ms", ">at the latest every ms", ">missed", ">silent ms"});
      for (const timing::TransactionReport& t : line.transactions) {
        table.row(
            {html(t.name), std::to_string(t.request_bytes), std::to_string(t.reply_bytes),
             ms_html(t.typical), ms_html(t.longest), ms_html(t.period), ms_html(t.response_bound),
             ms_html(t.response_bound_any_phase), ms_html(t.response_simulated),
             ms_html(t.interval_bound), std::to_string(t.missed), ms_html(t.silent)},
            t.missed > 0 ? "bad" : "");
      }
      body_ += table.text("");
    }
    figures(FigurePlace::lines);
  }

  void heartbeats() {
    HtmlTable table({"heartbeat", "carried by", ">toggles every ms", ">watched for ms",
                     ">smallest safe ms", ">largest ms", ">latest alarm ms", "verdict"});
    for (const timing::HeartbeatReport& h : timing_.heartbeats) {
      const bool good = h.verdict == timing::HeartbeatVerdict::good;
      table.row({html(h.name), html(h.carried_by), ms_html(h.times.toggle), ms_html(h.watch),
                 ms_html(h.watch_min), ms_html(h.watch_max), ms_html(h.latest_alarm),
                 mark_html(good ? "good" : "bad", to_string(h.verdict))},
                good ? "" : "bad");
    }
    body_ += table.text("the plan has no heartbeats");
    HtmlTable paths(
        {"path", ">newest ms", ">oldest seen ms", ">bound ms", ">budget ms", "verdict"});
    const auto add = [&](const timing::PathReport& p) {
      const bool good = p.verdict == timing::PathVerdict::good;
      paths.row({html(p.name), ms_html(p.least), ms_html(p.simulated), ms_html(p.bound),
                 ms_html(p.budget), mark_html(good ? "good" : "bad", to_string(p.verdict))},
                good ? "" : "bad");
    };
    for (const timing::PathReport& p : timing_.paths) add(p);
    for (const timing::TagAge& age : timing_.tag_ages) add(age.path);
    if (!paths.empty()) body_ += paths.text("");
    figures(FigurePlace::heartbeats);
    figures(FigurePlace::paths);
  }

  void silence() {
    const auto feedings = timing::watchdog_feedings(plan_, timing_);
    HtmlTable table({"silent", ">noticed at the latest, ms", ">others wait, seen ms", ">at most ms",
                     ">once parked, seen ms", ">at most ms", ">watchdogs that run out"});
    for (const timing::SilentCase& silent : timing_.silence.cases) {
      if (silent.devices.size() != 1 || !silent.stall) continue;
      const timing::Stall& stall = timing_.stalls.stalls[*silent.stall];
      const auto out = timing::watchdogs_run_out(plan_, feedings, stall);
      table.row({html(plan_.target_name(stall.silent)),
                 ms_html(noticed_at_the_latest(exchange_, stall.silent)), ms_html(silent.first),
                 ms_html(stall.first), ms_html(silent.steady), ms_html(stall.steady),
                 out.empty() ? "–" : std::to_string(out.size())});
    }
    body_ += table.text("no slave keeps another waiting");
    figures(FigurePlace::silence);
  }

  // ---------------------------------------------------------------- values and memory

  void points() {
    HtmlTable table(
        {"point", "", "memory", "tag", "by", "register", "type", "unit", ">age at most ms"});
    for (std::size_t i = 0; i < exchange_.points.rows.size(); ++i) {
      const model::PointRow& p = exchange_.points.rows[i];
      const bool is_long = is_multi_register(p.type.type);
      std::string type = p.area ? to_text(p.type.type) : to_text(p.type);
      if (is_long && p.order) type += fmt::format(" {}", to_string(*p.order));
      if (is_long && p.swap) type += fmt::format(", as {}", to_string(*p.swap));
      const std::string by = p.transaction ? plan_.declared(plan_.transactions[*p.transaction]).name
                             : p.copy ? fmt::format("copy {}", plan_.copies[*p.copy].declared + 1)
                                      : "";
      table.row({html(p.where), p.is_read ? "→" : "←",
                 html(fmt::format("{} {}", plan_.plan.controllers[p.controller].name,
                                  plan_.layouts[p.controller].name_of(p.memory))),
                 p.tag ? html(plan_.declared(plan_.tags[*p.tag]).name) : "–", html(by),
                 p.area ? html(fmt::format("{}:{}", short_name(*p.area), *p.offset)) : "–",
                 html(type), html(p.unit), ms_html(exchange_.ages[i])});
    }
    body_ += table.text("no transaction moves a point of any map");
  }

  void memory() {
    const model::MemoryReport report = memory_report(plan_);
    for (const model::ControllerMemory& c : report.controllers) {
      HtmlTable table({"range", ">count", "purpose", "by", "tags"});
      for (const model::StoreReport& store : c.stores) {
        for (const model::MemoryRow& row : store.rows) {
          table.row({html(row.range), std::to_string(row.count), html(to_string(row.purpose)),
                     html(row.by), html(joined(row.tags))},
                    row.clash ? "bad" : "");
        }
      }
      body_ +=
          fmt::format("<h3>controller {}</h3>\n{}", html(plan_.plan.controllers[c.controller].name),
                      table.text("nothing is used"));
    }
    figures(FigurePlace::memory);
  }

  void findings() {
    HtmlTable table({"severity", "rule", "place", "about", "what", "remedy"});
    for (const model::Finding& f : exchange_.findings) {
      const char* kind = f.severity == model::Severity::error     ? "bad"
                         : f.severity == model::Severity::warning ? "warn"
                                                                  : "soft";
      table.row({mark_html(kind, to_string(f.severity)), html(to_string(f.rule)),
                 html(fmt::format("{}:{}", plan_.plan.files[f.place.file], f.place.line)),
                 html(to_text(f.subject)), html(f.message), html(f.remedy)});
    }
    body_ += table.text("check finds nothing");
    HtmlTable accepted({"accepted rule", "at", "why"});
    for (const model::Accept& a : plan_.plan.accepts) {
      accepted.row({a.rule ? html(a.rule->value) : "–", a.at ? html(a.at->value) : "–",
                    a.why ? html(a.why->value) : "–"});
    }
    if (!accepted.empty()) body_ += accepted.text("");
  }

  void open() {
    HtmlTable table({"what", "of", "because", "to have it judged"});
    for (const checks::NotJudged& n : checks::not_judged(plan_)) {
      table.row({html(n.what), html(joined(n.subjects)), html(n.because), html(n.add)});
    }
    body_ += table.text("everything was judged that there are rules for");
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

std::optional<Duration> noticed_at_the_latest(const ExportInput& input,
                                              const model::Target& target) {
  std::optional<Duration> least;
  for (const timing::LineReport& line : input.timing.lines) {
    for (const timing::TransactionReport& t : line.transactions) {
      const model::ExchangeTransaction* exchange = input.plan.exchange.find(t.transaction);
      if (exchange == nullptr || exchange->target != target) continue;
      const auto& wait =
          t.response_behind_failures ? t.response_behind_failures : t.response_bound_any_phase;
      if (t.kind != model::TriggerKind::cyclic || !t.period || !wait || !t.silent) continue;
      const Duration latest = model::sum_of(*t.period, model::sum_of(*wait, *t.silent));
      if (!least || latest < *least) least = latest;
    }
  }
  return least;
}

}  // namespace greymet::exports
