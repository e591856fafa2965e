// commissioning.html: the work on site, step by step, with room for what is seen and who saw it.
#include <algorithm>
#include <set>

#include <fmt/format.h>

#include "checks/symptoms.h"
#include "exports/report.h"
#include "html.h"
#include "model/duration_text.h"
#include "model/manual_beside.h"
#include "model/resolved_plan.h"
#include "tables/plan_tables.h"
#include "tables/timing_tables.h"

namespace greymet::exports {
namespace {

constexpr std::string_view tick = "<span class=\"box\"></span>";

class Sheet {
 public:
  explicit Sheet(const ReportInput& input)
      : input_(input), exchange_(input.exchange), plan_(input.exchange.plan) {}

  std::string page() {
    const auto& title = plan_.plan.title;
    const std::string name = "Commissioning: " + (title ? title->value : input_.plan_file);
    body_ = fmt::format(
        "<h1>{}</h1>\n<p class=\"soft\">{}plan {}</p>\n<p class=\"fingerprint\">{}</p>\n"
        "<p>Go from top to bottom: each step relies on those above it. What does not show what "
        "stands here is put right first, in the plan too.</p>\n",
        html(name),
        plan_.plan.revision ? "revision " + html(plan_.plan.revision->value) + ", " : "",
        html(input_.plan_file), html(exchange_.fingerprint));
    body_ += signatures();
    step("Before power: the serial lines");
    lines();
    step("Set on each slave");
    settings();
    step("Set on each controller");
    masters();
    step("Download to each controller");
    downloads();
    step("Restart each controller, so that initial values load");
    restarts();
    step("Change the first and the last word of each block, and see it arrive");
    blocks();
    step("Hold values against what the device itself shows");
    displays();
    step("Unplug, and see the loss; plug in, and see recovery without a restart");
    unplug();
    step("Heartbeats: stop the producer, and see the alarm");
    heartbeats();
    step("Done");
    body_ += signatures();
    symptoms();
    return page_html(name, body_);
  }

 private:
  void step(std::string_view heading) {
    body_ += fmt::format("<h2>{}. {}</h2>\n", ++steps_, html(heading));
  }

  // The last page: what to look at where a step does not show what it should.
  void symptoms() {
    body_ += "<h2 class=\"page\">When a step does not show what it should</h2>\n";
    HtmlTable table({"seen, and what it mostly means", "look, in this order"});
    for (const checks::Symptom& symptom : checks::symptoms()) {
      std::string looks;
      std::size_t number = 0;
      for (const checks::Look& look : symptom.looks) {
        looks += fmt::format("{}{}. {}", looks.empty() ? "" : "<br>", ++number, html(look.at));
      }
      table.row(
          {fmt::format("<b>{}</b><br>{}", html(symptom.title), html(symptom.meaning)), looks});
    }
    body_ += table.text("");
  }

  static std::string signatures() {
    return "<p>site ______________________ &nbsp; date ______________ &nbsp; name "
           "______________________ &nbsp; signature ______________________</p>\n";
  }

  // What is wired: MODBUS over Serial Line V1.02, chapter 3, whose clauses are named.
  void lines() {
    std::set<bool> of_two_wires;  // and of RS-232
    HtmlTable table(
        {"", "line", "medium", "trunk and ends", "polarized", "wires", "common", "signed"});
    for (const model::ExchangeLine& line : plan_.exchange.lines) {
      const bool alone = line.medium == model::Medium::rs232;
      of_two_wires.insert(!alone);
      table.row({std::string(tick), html(line.name), html(to_string(line.medium)),
                 alone ? "–" : entry(), alone ? "–" : entry(), entry(), entry(), sign()});
    }
    body_ += "<ul>";
    const auto add = [this](const std::string& text) { body_ += "<li>" + html(text) + "</li>\n"; };
    if (of_two_wires.contains(true)) {
      add("One trunk from device to device: 1000 m at most at 9600 baud, less where it is faster; "
          "no stub longer than 20 m (3.4.2, 3.4.3).");
      add("Terminated at both ends of the trunk and nowhere else: 150 ohm, or what the cable wants "
          "(3.4.5).");
      add("Polarized at one place: D1 by 450 to 650 ohm to 5 V, D0 by as much to ground (3.4.6); "
          "idle, D1 is 0.2 V or more above D0.");
      add("D1 is called B or B' by the standard, A or + by others: where nobody answers, exchange "
          "both wires at one device (3.3.2).");
      add("The common wire goes to every device, and to earth at one point (3.4.4).");
    }
    if (of_two_wires.contains(false)) {
      add("RS-232: one device, 20 m of cable at most; what one sends is what the other receives, "
          "and their grounds are joined (3.3.4).");
    }
    if (!of_two_wires.empty()) {
      add("Lamps: sending blinks with each request, receiving only where somebody answers (3.7).");
    }
    body_ += "</ul>\n" + table.text("the plan has no serial lines");
  }

  // "12", and below it as switches show it, the highest bit first.
  static std::string unit_html(const model::ExchangeSlave& slave) {
    if (!slave.unit) return "–";
    const auto unit = static_cast<unsigned>(slave.unit->value);
    std::string number = std::to_string(unit);
    if (!slave.line) return number;
    return fmt::format("{}<br><span class=\"soft\">{:04b}&nbsp;{:04b}</span>", number,
                       unit >> 4U & 15U, unit & 15U);
  }

  void settings() {
    HtmlTable table(
        {"", "slave", "line or host", "unit", "mode", "baud", "format", "watchdog", "signed"});
    for (std::size_t s = 0; s < plan_.exchange.slaves.size(); ++s) {
      const model::ExchangeSlave& slave = plan_.exchange.slaves[s];
      const model::ExchangeLine* line = slave.line ? &plan_.exchange.lines[*slave.line] : nullptr;
      const auto& watchdog = plan_.plan.slaves[s].watchdog;
      table.row({std::string(tick), html(slave.name),
                 line != nullptr ? "line " + html(line->name) + ", " + html(to_string(line->medium))
                                 : html(fmt::format("{}:{}", slave.host.value_or("-"), slave.port)),
                 unit_html(slave),
                 line == nullptr ? "TCP"
                 : line->mode    ? html(to_string(*line->mode))
                                 : "–",
                 line != nullptr && line->baud ? std::to_string(*line->baud) : "–",
                 line != nullptr && line->format ? html(to_text(*line->format)) : "–",
                 watchdog ? html(model::to_text(watchdog->value)) : "–", sign()});
    }
    body_ += table.text("the plan has no slaves");
  }

  // The masters' side, and where controllers answer themselves.
  void masters() {
    const tables::Table all = tables::masters_table(plan_);
    const auto column = [&](std::string_view key) {
      const auto found = std::find_if(all.columns.begin(), all.columns.end(),
                                      [&](const auto& c) { return c.key == key; });
      return static_cast<std::size_t>(found - all.columns.begin());
    };
    const std::vector<std::string> shown{"controller", "address", "role",    "at",
                                         "unit",       "mode",    "baud",    "format",
                                         "timeout_ms", "retries", "pause_ms"};
    HtmlTable table({"", "controller", "own address", "role", "at", "unit", "mode", "baud",
                     "format", ">timeout, ms", ">retries", ">pause, ms", "signed"});
    for (const tables::Row& row : all.rows) {
      std::vector<std::string> cells{std::string(tick)};
      for (const std::string& key : shown) {
        const std::string text = tables::plain_text(row.cells[column(key)]);
        cells.push_back(text.empty() ? "–" : html(text));
      }
      cells.push_back(sign());
      table.row(cells);
    }
    body_ += table.text("no controller asks anybody, and none answers");
  }

  static std::string sign() { return "<div class=\"sign\"></div>"; }
  static std::string entry() { return "<div class=\"entry\"></div>"; }

  void downloads() {
    HtmlTable table({"", "controller", "address", "transactions", "fingerprint begins", "signed"});
    for (std::size_t c = 0; c < plan_.exchange.controllers.size(); ++c) {
      const auto count =
          std::count_if(plan_.exchange.transactions.begin(), plan_.exchange.transactions.end(),
                        [&](const auto& t) { return t.controller == model::ControllerIndex(c); });
      const auto& address = plan_.plan.controllers[c].address;
      table.row({std::string(tick), html(plan_.exchange.controllers[c].name),
                 address ? html(address->value) : "–", std::to_string(count),
                 html(exchange_.fingerprint.substr(0, 19)), sign()});
    }
    body_ += table.text("");
  }

  void restarts() {
    HtmlTable table({"", "controller", "runs at the start or on return", "signed"});
    for (std::size_t c = 0; c < plan_.exchange.controllers.size(); ++c) {
      std::string names;
      for (const model::ExchangeTransaction& t : plan_.exchange.transactions) {
        const bool starts = t.trigger.kind == model::TriggerKind::on_start ||
                            t.trigger.kind == model::TriggerKind::on_return;
        if (t.controller != model::ControllerIndex(c) || !starts) continue;
        names += (names.empty() ? "" : ", ") + t.name;
      }
      table.row({std::string(tick), html(plan_.exchange.controllers[c].name),
                 names.empty() ? "–" : html(names), sign()});
    }
    body_ += table.text("");
  }

  // "hr:72 (0x0048)": as its manual prints it, "hr:4 (400005)" where that is what goes over the
  // wire.
  [[nodiscard]] std::string device_text(const model::Target& target,
                                        const model::DeviceBlock& block,
                                        std::uint32_t index) const {
    const model::Address address{block.area, {static_cast<std::uint16_t>(block.offset + index)}};
    const std::string manual = manual_beside(plan_, target, address);
    return fmt::format("{}:{} ({})", short_name(block.area), block.offset + index,
                       manual.empty() ? reference6(address) : manual);
  }

  [[nodiscard]] std::string memory_text(const model::ExchangeTransaction& t,
                                        const std::optional<model::MemoryRange>& memory,
                                        const model::DeviceBlock& block,
                                        std::uint32_t index) const {
    if (!memory) return "–";
    const model::MemoryLayout& layout = plan_.layouts[t.controller];
    const bool words = layout.controller().memory[memory->area].kind == model::MemoryKind::word;
    if (memory->bit) return layout.name_of(*memory);
    if (words && is_bit_area(block.area)) {
      // packed: sixteen to a word
      return fmt::format("{}.{}", layout.name_of(memory->area, memory->number + index / 16),
                         index % 16);
    }
    return layout.name_of(memory->area, memory->number + index);
  }

  // "40005, 6 of them, every 15": as the tool of the controller wants it.
  [[nodiscard]] std::string typed_text(const model::ExchangeTransaction& t,
                                       const model::DeviceBlock& block) const {
    const model::Controller& controller = plan_.plan.controllers[t.controller];
    const model::Address address{block.area, {static_cast<std::uint16_t>(block.offset)}};
    std::string text = to_type(controller, address);
    if (!text.empty()) text += fmt::format(", {} of them", block.quantity);
    const bool cyclic = t.trigger.kind == model::TriggerKind::cyclic;
    const std::string every = cyclic ? to_type(controller, t.trigger.period) : std::string();
    if (!every.empty()) text += fmt::format("{}every {}", text.empty() ? "" : ", ", every);
    return text.empty() ? "–" : text;
  }

  void blocks() {
    // one column more where a controller's tool has a way of its own
    const auto& controllers = plan_.plan.controllers;
    const bool typed = std::any_of(controllers.begin(), controllers.end(),
                                   [](const auto& c) { return c.tool_counts || c.tool_times; });
    std::vector<std::string> headings{"", "transaction", "change here", "see it here"};
    if (typed) headings.emplace_back("type this");
    headings.insert(headings.end(), {"first", "last", "signed"});
    HtmlTable table(headings);
    for (const model::ExchangeTransaction& t : plan_.exchange.transactions) {
      for (const bool reads : {true, false}) {
        const auto& block = reads ? t.read : t.write;
        if (!block) continue;
        const std::string slave = plan_.target_name(t.target);
        const std::string& controller = plan_.exchange.controllers[t.controller].name;
        const auto& memory = reads ? t.into : t.from;
        const std::uint32_t last = block->quantity - 1;
        const auto at_slave = [&](std::uint32_t i) { return device_text(t.target, *block, i); };
        const auto at_controller = [&](std::uint32_t i) {
          return memory_text(t, memory, *block, i);
        };
        const std::string device =
            fmt::format("{} {}{}", slave, at_slave(0), last > 0 ? " … " + at_slave(last) : "");
        const std::string own = fmt::format("{} {}{}", controller, at_controller(0),
                                            last > 0 ? " … " + at_controller(last) : "");
        std::vector<std::string> cells{std::string(tick), html(t.name), html(reads ? device : own),
                                       html(reads ? own : device)};
        if (typed) cells.push_back(html(typed_text(t, *block)));
        cells.insert(cells.end(), {entry(), last > 0 ? entry() : "–", sign()});
        table.row(cells);
      }
    }
    body_ += table.text("there are no transactions");
  }

  // Of every block that is read the first values that have a unit or names; else its first.
  void displays() {
    constexpr std::size_t of_each = 2;
    HtmlTable table({"", "device", "value", "unit or names", "in the controller", "tag",
                     "display shows", "program shows", "signed"});
    std::set<std::string> done;
    std::vector<std::vector<const model::PointRow*>> brought(plan_.transactions.size());
    for (const model::PointRow& row : exchange_.points.rows) {
      if (row.transaction && row.is_read && row.area) brought[*row.transaction].push_back(&row);
    }
    for (std::vector<const model::PointRow*>& rows : brought) {
      std::stable_partition(rows.begin(), rows.end(),
                            [](const auto* r) { return !r->unit.empty() || !r->names.empty(); });
      for (std::size_t k = 0; k < std::min(of_each, rows.size()); ++k) {
        const model::PointRow& row = *rows[k];
        if (!done.insert(row.where).second) continue;
        const std::string& slave = plan_.plan.slaves[row.end.owner].name;
        table.row({std::string(tick), html(slave), html(row.where.substr(slave.size() + 1)),
                   html(row.unit.empty() ? row.names : row.unit),
                   html(fmt::format("{} {}", plan_.plan.controllers[row.controller].name,
                                    plan_.layouts[row.controller].name_of(row.memory))),
                   row.tag ? html(plan_.declared(plan_.tags[*row.tag]).name) : "–", entry(),
                   entry(), sign()});
      }
    }
    body_ += unconfirmed() + table.text("no transaction reads a point of any map");
  }

  // What displays have to confirm first: a value that is off by a register looks like a value.
  [[nodiscard]] std::string unconfirmed() const {
    std::string text;
    for (const model::Slave& slave : plan_.plan.slaves) {
      if (!slave.assumed) continue;
      std::string keys;
      for (const auto& key : slave.assumed->value) keys += (keys.empty() ? "" : ", ") + key.value;
      if (keys.empty()) continue;
      text += fmt::format("<li>{} {}: {}</li>\n", tick, html(slave.name), html(keys));
    }
    return text.empty() ? text
                        : "<p>Assumed, to be confirmed here before anything else:</p>\n<ul>" +
                              text + "</ul>\n";
  }

  void unplug() {
    HtmlTable table({"", "unplug", "what its loss does", ">noticed at the latest, ms", "seen after",
                     "recovers by itself", "signed"});
    std::vector<model::Target> targets;
    for (const model::ExchangeTransaction& t : plan_.exchange.transactions) {
      if (t.endpoint.broadcast) continue;
      if (std::find(targets.begin(), targets.end(), t.target) == targets.end())
        targets.push_back(t.target);
    }
    for (const model::Target& target : targets) {
      std::set<std::string> reactions;
      for (const model::ExchangeTransaction& t : plan_.exchange.transactions) {
        if (t.target == target && t.on_loss) reactions.insert(std::string(to_string(*t.on_loss)));
      }
      table.row({std::string(tick), html(plan_.target_name(target)),
                 reactions.empty() ? "–" : html(fmt::format("{}", fmt::join(reactions, ", "))),
                 limit_html(tables::noticed_at_the_latest(plan_, exchange_.timing, target)) +
                     mark_of(target),
                 entry(), std::string(tick), sign()});
    }
    body_ += table.text("there is nothing to unplug") + assumptions();
  }

  void heartbeats() {
    HtmlTable table({"", "heartbeat", "stop", "alarm in", "then", ">at the latest after ms",
                     "seen after", "signed"});
    for (std::size_t h = 0; h < plan_.exchange.heartbeats.size(); ++h) {
      const model::ExchangeHeartbeat& beat = plan_.exchange.heartbeats[h];
      const auto name = [&](const auto& c) {
        return c ? html(plan_.exchange.controllers[*c].name) : std::string("–");
      };
      const bool timed = h < exchange_.timing.heartbeats.size();
      table.row({std::string(tick), html(beat.name), name(beat.from), name(beat.to),
                 beat.on_loss ? html(to_string(*beat.on_loss)) : "–",
                 timed
                     ? limit_html(exchange_.timing.heartbeats[h].latest_alarm) + mark_of_carrier(h)
                     : "–",
                 entry(), sign()});
    }
    body_ += table.text("the plan has no heartbeats") + assumptions();
  }

  // "*" where the plan leaves out what the number rests on; said below the table.
  std::string mark_of(const model::Target& target) {
    using model::FactKind;
    model::FactSet assumed;
    for (const model::ExchangeTransaction& t : plan_.exchange.transactions) {
      if (t.target == target) assumed.add(t.endpoint.assumed);
    }
    return mark(plan_.target_name(target),
                assumed.only({FactKind::timeout, FactKind::retries, FactKind::connect_timeout,
                              FactKind::on_silence}));
  }
  std::string mark_of_carrier(std::size_t heartbeat) {
    using model::FactKind;
    const auto& carrier = exchange_.timing.heartbeats[heartbeat].carrier;
    const auto* t = carrier ? plan_.exchange.find(carrier->transaction) : nullptr;
    if (t == nullptr) return {};
    return mark(t->name, t->endpoint.assumed.only(
                             {FactKind::reply, FactKind::rtt, FactKind::gateway_delay}));
  }
  std::string mark(const std::string& name, const model::FactSet& assumed) {
    std::string keys;
    for (const std::string& key : assumed.keys()) keys += (keys.empty() ? "" : ", ") + key;
    if (keys.empty()) return {};
    assumed_[keys].push_back(name);
    return " *";
  }
  // What the marks of the last table are for.
  std::string assumptions() {
    std::string text;
    constexpr std::size_t most_named = 20;
    for (const auto& [keys, names] : assumed_) {
      const std::size_t named = std::min(names.size(), most_named);
      const auto end = names.begin() + static_cast<std::ptrdiff_t>(named);
      text += fmt::format(
          "{}{} of {}{}", text.empty() ? "" : "; ", html(keys),
          html(fmt::format("{}", fmt::join(names.begin(), end, ", "))),
          named < names.size() ? fmt::format(" and {} more", names.size() - named) : std::string());
    }
    assumed_.clear();
    if (text.empty()) return {};
    return fmt::format(
        "<p class=\"soft\">* rests on defaults, as the plan does not state: {}</p>\n", text);
  }

  std::map<std::string, std::vector<std::string>> assumed_;  // whose, by their keys
  const ReportInput& input_;
  const ExportInput& exchange_;
  const model::ResolvedPlan& plan_;
  std::string body_;
  int steps_ = 0;
};

}  // namespace

std::string commissioning_page(const ReportInput& input) {
  return Sheet(input).page();
}

}  // namespace greymet::exports
