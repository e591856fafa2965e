// Family C: what the controller's model can do.
#include <algorithm>
#include <set>

#include "checks/rules.h"
#include "common/cure_edits.h"
#include "common/rule_text.h"
#include "model/resolved_plan.h"

namespace greymet::checks {

using model::ControllerModel;

namespace {

// A protocol that a controller is asked to speak, and where.
struct Need {
  std::string protocol;
  Range place;
  std::string what;  // "line north", "connections to air"
};

class CapabilityRules {
 public:
  CapabilityRules(const RuleInput& in, std::size_t controller, Findings& out)
      : plan_(in.plan),
        index_(controller),
        controller_(in.plan.plan.controllers[controller]),
        model_(*controller_.model),
        subject_(subject_of(controller_)),
        out_(out) {}

  void check() {
    for (const Need& need : needs()) check_protocol(need);
    check_amounts();
    check_periods();
  }

 private:
  [[nodiscard]] std::vector<Need> needs() const {
    std::vector<Need> needs;
    const auto serial = [](const model::Line& line, std::string_view role) -> std::string {
      const bool ascii =
          line.settings.mode && line.settings.mode->value == model::SerialMode::ascii;
      return fmt::format("{}-{}", ascii ? "ascii" : "rtu", role);
    };
    for (std::size_t l = 0; l < plan_.plan.lines.size(); ++l) {
      const model::Line& line = plan_.plan.lines[l];
      if (plan_.line_master[l] != index_) continue;
      needs.push_back({serial(line, "master"), place_or(line.settings.mode, line.place),
                       to_text(subject_of(line))});
    }
    for (const model::Connection& c : plan_.exchange.connections) {
      if (c.controller != index_) continue;
      needs.push_back(
          {"tcp-client", controller_.place, fmt::format("the connection to {}", c.name)});
      break;
    }
    for (const model::Answer& answer : controller_.answers) {
      if (!answer.line) {
        needs.push_back({"tcp-server", answer.place, "its answers on TCP"});
        continue;
      }
      for (const model::Line& line : plan_.plan.lines) {
        if (line.name != answer.line->value) continue;
        needs.push_back({serial(line, "slave"), answer.place,
                         fmt::format("its answers on line {}", line.name)});
      }
    }
    return needs;
  }

  // "series B" names the series B; a bare "B" does, too.
  [[nodiscard]] bool is_own_series(const std::string& wanted) const {
    if (!model_.series) return false;
    const std::string& own = model_.series->value;
    return wanted == own || wanted == "series " + own;
  }

  // C01
  void check_protocol(const Need& need) {
    const auto& protocols = model_.protocols;
    const auto stated = std::find_if(model_.needs.begin(), model_.needs.end(),
                                     [&](const auto& n) { return n.first.value == need.protocol; });
    const bool listed =
        !protocols || std::any_of(protocols->value.begin(), protocols->value.end(),
                                  [&](const auto& p) { return p.value == need.protocol; });
    const bool series_fits =
        stated == model_.needs.end() || !model_.series || is_own_series(stated->second.value);
    if (listed && series_fits) return;
    const std::string series =
        model_.series ? fmt::format(", series {}", model_.series->value) : std::string();
    const bool other_series = stated != model_.needs.end() && !is_own_series(stated->second.value);
    const std::string who =
        other_series ? fmt::format("; {} has it", stated->second.value) : std::string();
    std::vector<std::string> has;
    if (protocols) {
      for (const auto& p : protocols->value) has.push_back(p.value);
    }
    report(out_, RuleCode::C01, Severity::error, need.place, subject_,
           fmt::format("{} needs {}, which this controller ({}{}) does not have{}", need.what,
                       need.protocol, model_.file, series, who),
           other_series
               ? fmt::format("take a controller of {}, or reach the slaves another way",
                             stated->second.value)
               : fmt::format("it has {}; reach the slaves another way, or take another model",
                             has.empty() ? "none" : fmt::format("{}", fmt::join(has, ", "))),
           {{other_series ? stated->second.place : place_or(protocols, model::Range{need.place}),
             "the model says so here"}});
  }

  // C02
  void check_amounts() {
    std::size_t transactions = 0;
    std::int64_t words = 0;
    std::set<model::Target> slaves;
    for (const model::ResolvedTransaction& t : plan_.transactions) {
      if (t.controller != index_) continue;
      ++transactions;
      if (t.target) slaves.insert(*t.target);
      for (const auto& block : {t.read, t.write}) {
        if (!block) continue;
        constexpr std::uint32_t bits_per_word = 16;
        words += is_bit_area(block->area) ? (block->quantity + bits_per_word - 1) / bits_per_word
                                          : block->quantity;
      }
    }
    const auto connections =
        std::count_if(plan_.exchange.connections.begin(), plan_.exchange.connections.end(),
                      [&](const model::Connection& c) { return c.controller == index_; });
    judge("transactions", static_cast<std::int64_t>(transactions), model_.max_transactions,
          "join reads of neighbouring registers, or give part of them to another controller");
    judge("words", words, model_.max_words,
          "read fewer registers, or give part of them to another controller");
    judge("slaves", static_cast<std::int64_t>(slaves.size()), model_.max_slaves,
          "give part of them to another controller");
    judge("connections", static_cast<std::int64_t>(connections), model_.max_connections,
          "reach several slaves through one gateway, or give part of them to another controller");
  }

  void judge(std::string_view what, std::int64_t count, const model::Declared<std::int64_t>& limit,
             std::string remedy) {
    if (!limit || count <= limit->value) return;
    report(
        out_, RuleCode::C02, Severity::error, controller_.place, subject_,
        fmt::format("has {} {}; this model ({}) can do {}", count, what, model_.file, limit->value),
        std::move(remedy), {{limit->place, "the limit is stated here"}});
  }

  // C03
  void check_periods() {
    if (!model_.min_period) return;
    for (const model::ResolvedTransaction& t : plan_.transactions) {
      if (t.controller != index_ || !t.trigger || t.trigger->kind != model::TriggerKind::cyclic) {
        continue;
      }
      if (t.trigger->period >= model_.min_period->value) continue;
      report(out_, RuleCode::C03, Severity::error, t.trigger->place, subject_of(plan_.declared(t)),
             fmt::format("runs every {}; the shortest period of controller {} ({}) is {}",
                         to_text(t.trigger->period), controller_.name, model_.file,
                         to_text(model_.min_period->value)),
             {}, {{model_.min_period->place, "the limit is stated here"}});
      internal::cure_by_keys(
          out_, fmt::format("write every = \"{}\"", to_text(model_.min_period->value)),
          t.trigger->place, {{"every", internal::toml_text(model_.min_period->value)}}, false);
    }
  }

  const model::ResolvedPlan& plan_;
  std::size_t index_;
  const model::Controller& controller_;
  const ControllerModel& model_;
  model::Subject subject_;
  Findings& out_;
};

}  // namespace

void check_capabilities(const RuleInput& in, Findings& out) {
  for (std::size_t c = 0; c < in.plan.plan.controllers.size(); ++c) {
    if (in.plan.plan.controllers[c].model) CapabilityRules(in, c, out).check();
  }
}

}  // namespace greymet::checks
