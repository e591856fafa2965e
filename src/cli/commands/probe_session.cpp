#include "probe_session.h"

#include <algorithm>
#include <array>

#include <fmt/format.h>

#include "live/probe_hand.h"
#include "loaded_program.h"
#include "modbus/pdu.h"
#include "modbus/value_readings.h"
#include "model/duration_text.h"
#include "model/usual_function.h"
#include "probe_words.h"
#include "timing/measured_facts.h"

namespace greymet::cli::internal {

using engine::ProbeAnswer;
using engine::ProbeBlock;
using model::Duration;
using tables::Mood;
using tables::State;

namespace {

engine::ValueTarget target_of(const HandValue& value) {
  return {value.block.area,  value.block.first,
          value.form.type,   value.order.value_or(model::WordOrder::abcd),
          value.form.factor, value.form.offset};
}

class SlaveProbe {
 public:
  SlaveProbe(const model::ResolvedPlan& plan, std::size_t slave, const ProbeWanted& wanted,
             ProbeFound& found)
      : plan_(plan),
        slave_(slave),
        name_(plan.plan.slaves[slave].name),
        map_(plan.map_of({false, slave, 0})),
        wanted_(wanted),
        first_(first_block(plan, slave, wanted)),
        found_(found),
        lines_(plan, slave) {}

  // All that may be asked, the first block first.
  [[nodiscard]] std::vector<ProbeBlock> blocks() const {
    std::vector<ProbeBlock> out{first_};
    const auto add = [&](const std::vector<ProbeBlock>& more) {
      out.insert(out.end(), more.begin(), more.end());
    };
    if (wanted_.value) add(engine::value_blocks(target_of(*wanted_.value)));
    if (wanted_.functions) add(engine::function_blocks(map_));
    if (wanted_.longest) add(engine::length_blocks(first_.area, first_.first));
    if (wanted_.holes && map_ != nullptr) {
      for (const engine::HoleAnswer& hole : engine::hole_blocks(*map_)) out.push_back(hole.block);
    }
    return out;
  }

  void run(live::Hand& hand) {
    live::HandDevice device(hand, blocks());
    engine::ProbeLimits limits;
    limits.share = wanted_.share;
    engine::PoliteDevice polite(device, limits);
    const ProbeAnswer reached = polite.ask(first_);
    found_.answered = found_.answered || reached.is_good() || reached.is_refusal();
    if (!reached.is_good() && !reached.is_refusal()) {
      add("reached", block_text(first_), answer_text(reached, first_), {"no", Mood::bad});
    }
    if (wanted_.value) look_at_value(polite);
    if (wanted_.functions) look_at_functions(polite);
    if (wanted_.holes && map_ != nullptr) look_at_holes(polite);
    if (wanted_.longest) look_at_length(polite);
    if (wanted_.times > 0) look_at_times(polite, hand);
    found_.requests += polite.asked();
    if (polite.had_trouble()) {
      found_.open = true;
      found_.remarks.push_back(
          fmt::format("{} did not answer well {} times in a row: it is not asked any more", name_,
                      limits.most_trouble));
    }
    take_lines();
  }

 private:
  void add(std::string_view what, std::string asked, std::string answer, State verdict) {
    found_.answers.push_back(
        {name_, std::string(what), std::move(asked), std::move(answer), std::move(verdict)});
  }

  void look_at_value(engine::PoliteDevice& device) {
    const engine::ValueTarget target = target_of(*wanted_.value);
    const engine::ValueProbe probe = engine::probe_value(device, target, wanted_.near);
    for (const engine::ShiftAnswer& asked : probe.asked) {
      const bool fits = std::any_of(probe.fits.begin(), probe.fits.end(),
                                    [&](const auto& fit) { return fit.shift == asked.shift; });
      const bool here = probe.settled && probe.fits.front().shift == asked.shift;
      const std::string_view place = asked.shift == 0  ? "as the plan says"
                                     : asked.shift < 0 ? "one lower"
                                                       : "one higher";
      add("value", fmt::format("{} ({})", block_text(asked.block), place),
          answer_text(asked.answer, asked.block),
          here                                     ? State{"this is it", Mood::good}
          : fits                                   ? State{"comes near", Mood::warn}
          : wanted_.near && asked.answer.is_good() ? State{"another value", Mood::soft}
          : asked.answer.is_good()                 ? State{"read", Mood::plain}
                                                   : State{"not read", Mood::soft});
      if (asked.answer.is_good() && !is_bit_area(target.area)) read_in_all_ways(asked, target);
    }
    lines_.add(probe, target, wanted_.value->point);
    if (!wanted_.near) return;
    for (const engine::ValueFit& fit : probe.fits) tell(fit, target);
    if (!probe.settled) {
      found_.open = true;
      found_.remarks.push_back(
          fmt::format("{}: not settled: {}", wanted_.value->where, probe.why_not));
    }
  }

  // "hr:10..11 as f32 CDAB: 43.1"
  void tell(const engine::ValueFit& fit, const engine::ValueTarget& target) {
    const auto first = static_cast<std::uint32_t>(std::int64_t{target.first} + fit.shift);
    found_.remarks.push_back(fmt::format(
        "{} as {}{}{} is {:g}{}", block_text({target.area, first, registers_of(fit.type)}),
        to_text(fit.type), is_multi_register(fit.type) ? " " : "",
        is_multi_register(fit.type) ? to_string(fit.order) : std::string_view(), fit.value,
        fit.scale == 1 ? std::string() : fmt::format(" with a scale of {:g}", fit.scale)));
  }

  void read_in_all_ways(const engine::ShiftAnswer& asked, const engine::ValueTarget& target) {
    for (const model::DataType type : engine::types_as_wide_as(target.type)) {
      if (type.kind == model::TypeKind::boolean) continue;
      const auto readings = modbus::read_in_all_orders(
          {asked.answer.words, type, 0, target.factor, target.offset, {}});
      if (!readings) continue;
      tables::ReadingRow row{name_,
                             block_text(asked.block),
                             words_text(asked.answer.words, false),
                             to_text(type),
                             {},
                             {},
                             {},
                             {}};
      const std::array<std::string*, 4> cells{&row.abcd, &row.cdab, &row.badc, &row.dcba};
      for (std::size_t i = 0; i < readings->size() && i < cells.size(); ++i) {
        const modbus::ValueReading& reading = (*readings)[i];
        *cells[i] = reading.engineering ? fmt::format("{:.7g}", *reading.engineering)
                    : reading.raw       ? modbus::to_text(*reading.raw, type)
                                        : "-";
      }
      found_.readings.push_back(std::move(row));
    }
  }

  void look_at_functions(engine::PoliteDevice& device) {
    const auto functions = engine::probe_functions(device, map_);
    for (const engine::FunctionAnswer& each : functions) {
      add("function",
          fmt::format("{} at {}", model::number_of(model::reading_function(each.area)),
                      block_text(each.block)),
          answer_text(each.answer, each.block),
          !each.implemented   ? State{"unknown", Mood::soft}
          : *each.implemented ? State{"there", Mood::good}
                              : State{"not there", Mood::plain});
    }
    lines_.add(functions);
  }

  void look_at_holes(engine::PoliteDevice& device) {
    const auto holes = engine::probe_holes(device, *map_);
    for (const engine::HoleAnswer& hole : holes) {
      add(hole.is_edge ? "edge" : "hole", block_text(hole.block),
          answer_text(hole.answer, hole.block),
          hole.answer.is_good()      ? State{"answers", Mood::good}
          : hole.answer.is_refusal() ? State{"refused", Mood::plain}
                                     : State{"unknown", Mood::soft});
    }
    lines_.add(holes);
  }

  void look_at_length(engine::PoliteDevice& device) {
    const auto length = engine::probe_length(device, first_.area, first_.first);
    std::string text =
        length.block.count == 0 ? "none" : fmt::format("{} are answered", length.block.count);
    if (length.refused) text += fmt::format(", {} are too many", *length.refused);
    if (length.beyond) text += fmt::format(", {} leave what it has", *length.beyond);
    add("length", fmt::format("from {} on", block_text({first_.area, first_.first, 1})), text,
        length.block.count == 0 ? State{"unknown", Mood::soft}
        : length.is_standards   ? State{"the standard's", Mood::good}
        : length.refused        ? State{"a limit of its own", Mood::plain}
                                : State{"unknown", Mood::soft});
    lines_.add(length);
  }

  void look_at_times(engine::PoliteDevice& device, const live::Hand& hand) {
    const auto times = engine::probe_times(device, first_, wanted_.times);
    if (times.durations.empty()) return;
    const Duration median = times.durations[(times.durations.size() - 1) / 2];
    const auto replies = timing::measured_replies(
        hand.plan(), {{"read by hand", times.durations.size(), median, times.durations.back()}});
    for (const timing::MeasuredReply& each : replies) {
      if (each.slave != slave_) continue;
      add("times", fmt::format("{}, {} times", block_text(first_), times.asked),
          fmt::format("typical {}, longest {}; {} good", model::in_ms(each.reply.typical),
                      model::in_ms(each.reply.max), times.durations.size()),
          {"measured", Mood::good});
      lines_.add_reply(each.reply, times.durations.size());
    }
  }

  void take_lines() {
    const engine::ProbeLines lines = lines_.take();
    found_.lines.add(slave_, name_, lines);
    for (const engine::SettledKey& each : lines.keys) {
      found_.open = found_.open || each.contradicts;
    }
    for (const std::string& each : lines.by_hand) found_.by_hand.push_back(name_ + ": " + each);
    found_.open = found_.open || !lines.by_hand.empty();
  }

  const model::ResolvedPlan& plan_;
  std::size_t slave_;
  const std::string& name_;
  const model::RegisterMap* map_;
  const ProbeWanted& wanted_;
  ProbeBlock first_;
  ProbeFound& found_;
  engine::PlanLines lines_;
};

}  // namespace

tl::expected<void, live::LiveError> probe_slave(const model::ResolvedPlan& plan, std::size_t slave,
                                                const ProbeWanted& wanted,
                                                const live::HandOptions& how, ProbeFound& found) {
  SlaveProbe probe(plan, slave, wanted, found);
  std::vector<live::HandBlock> blocks;
  for (const ProbeBlock& block : probe.blocks()) {
    blocks.push_back({slave, block.area, block.first, block.count, false});
  }
  auto hand = live::Hand::open(plan, blocks, once(how));
  if (!hand) return tl::unexpected(hand.error());
  probe.run(**hand);
  return {};
}

void probe_loaded_program(const model::ResolvedPlan& plan, std::size_t controller,
                          const live::HandOptions& how, ProbeFound& found) {
  const LoadedProgram loaded = ask_loaded_program(plan, controller, how);
  const std::string& name = plan.plan.controllers[controller].name;
  if (!loaded.asked.empty()) ++found.requests;
  found.answered = found.answered || loaded.told.has_value();
  found.open = found.open || !loaded.told || loaded.is_other();
  found.answers.push_back({name, "loaded", loaded.asked.empty() ? "-" : loaded.asked,
                           loaded.told ? fmt::format("{:04X}", *loaded.told) : loaded.why_not,
                           !loaded.told        ? State{"unknown", Mood::warn}
                           : loaded.is_other() ? State{"another exchange", Mood::bad}
                                               : State{"this exchange", Mood::good}});
  if (loaded.is_other()) found.remarks.push_back(fmt::format("{} {}", name, loaded.text()));
}

}  // namespace greymet::cli::internal
