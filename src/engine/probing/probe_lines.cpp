#include "engine/probe_lines.h"

#include <algorithm>
#include <chrono>

#include <fmt/format.h>

#include "model/duration_text.h"
#include "model/toml_text.h"
#include "model/usual_function.h"

namespace greymet::engine {

using model::Duration;
using model::Numbering;

namespace {

std::string in_quotes(std::string_view text) {
  return model::toml_string(std::string(text));
}

// Up to two digits, so that nothing is promised that was not seen.
Duration rounded_up(Duration time) {
  constexpr std::int64_t least = 1000;  // a microsecond
  std::int64_t step = least;
  while (time.count() > 100 * step) step *= 10;
  return Duration((time.count() + step - 1) / step * step);
}

std::string_view text_of(model::Holes holes) {
  return holes == model::Holes::zero ? "zero" : "refuse";
}

}  // namespace

model::Delay reply_to_state(const model::Delay& measured) {
  // what is below that is lost in what the network is taken to need
  constexpr Duration least_typical = std::chrono::microseconds(100);
  constexpr Duration least_longest = std::chrono::milliseconds(1);
  model::Delay out;
  out.typical = rounded_up(std::max(measured.typical, least_typical));
  out.max =
      std::max(out.typical, rounded_up(std::max(measured.max + measured.max / 4, least_longest)));
  return out;
}

std::string delay_text(const model::Delay& delay) {
  return fmt::format("{{ typical = \"{}\", max = \"{}\" }}", model::to_text(delay.typical),
                     model::to_text(delay.max));
}

void PlanLines::settle(std::string key, std::string text, std::string because, bool is_new,
                       bool contradicts) {
  const bool known = std::any_of(out_.keys.begin(), out_.keys.end(),
                                 [&](const SettledKey& k) { return k.key.key == key; });
  if (known) return;
  // what is assumed cannot be contradicted
  const auto& assumed = slave().assumed;
  const bool is_assumed =
      assumed && std::any_of(assumed->value.begin(), assumed->value.end(),
                             [&](const auto& each) { return each.value == key; });
  out_.keys.push_back(
      {{std::move(key), std::move(text)}, std::move(because), is_new, contradicts && !is_assumed});
}

void PlanLines::confirm(const std::string& key) {
  if (std::find(confirmed_.begin(), confirmed_.end(), key) == confirmed_.end())
    confirmed_.push_back(key);
}

void PlanLines::add(const ValueProbe& value, const ValueTarget& target, const model::Point* point) {
  if (!value.settled) return;
  const ValueFit& fit = value.fits.front();
  const std::string what = point != nullptr
                               ? fmt::format("point {}", point->name)
                               : fmt::format("{}:{}", short_name(target.area), target.first);
  const Numbering numbering = plan_.numbering_of({false, slave_, 0});
  const bool lower = fit.shift == -1 && numbering == Numbering::from_0;
  const bool higher = fit.shift == 1 && numbering == Numbering::from_1;
  if (fit.shift == 0) {
    settle("numbering", in_quotes(to_string(numbering)), what + " lies where the plan looks", false,
           false);
    confirm("numbering");
  } else if (lower || higher) {
    settle("numbering", in_quotes(lower ? "from-1" : "from-0"),
           fmt::format("{} lies one register {}", what, lower ? "lower" : "higher"), true,
           slave().numbering.has_value());
    confirm("numbering");
  } else {
    out_.by_hand.push_back(
        fmt::format("{} lies one register {} than its map says: correct its "
                    "address in the map",
                    what, fit.shift < 0 ? "lower" : "higher"));
  }
  const bool long_value = is_multi_register(fit.type);
  if (long_value && fit.order != target.order) {
    if (point != nullptr && point->word_order) {
      out_.by_hand.push_back(
          fmt::format("in the map, {}: word_order {}", what, to_string(fit.order)));
    } else {
      settle("word_order", in_quotes(to_string(fit.order)), what + " shows it", true,
             slave().word_order.has_value());
      confirm("word_order");
    }
  } else if (long_value && (point == nullptr || !point->word_order)) {
    settle("word_order", in_quotes(to_string(fit.order)), what + " shows it",
           !slave().word_order.has_value(), false);
    confirm("word_order");
  }
  if (fit.type != target.type) {
    out_.by_hand.push_back(fmt::format("in the map, {}: type {}, not {}", what, to_text(fit.type),
                                       to_text(target.type)));
  }
  if (fit.scale != 1) {
    out_.by_hand.push_back(
        fmt::format("in the map, {}: factor {:g}, not {:g}: the shown value is {:g} times what the "
                    "plan would say",
                    what, target.factor * fit.scale, target.factor, fit.scale));
  }
}

void PlanLines::add(const std::vector<FunctionAnswer>& functions) {
  for (const FunctionAnswer& each : functions) {
    if (!each.implemented) continue;
    const std::int64_t number = model::number_of(model::reading_function(each.area));
    const auto& stated = slave().functions;
    const bool listed = !stated || std::any_of(stated->value.begin(), stated->value.end(),
                                               [&](const auto& f) { return f.value == number; });
    const model::RegisterMap* map = plan_.map_of({false, slave_, 0});
    const bool used =
        map != nullptr && std::any_of(map->points().begin(), map->points().end(),
                                      [&](const auto& p) { return p.address.area == each.area; });
    if (!*each.implemented && (used || (stated && listed))) {
      out_.by_hand.push_back(
          fmt::format("it does not know function {} (exception 01), {}", number,
                      used ? fmt::format("and its map lists {}s", long_name(each.area))
                           : std::string("and `functions` lists it")));
    } else if (*each.implemented && !listed) {
      out_.by_hand.push_back(
          fmt::format("it knows function {}, and `functions` does not list it", number));
    }
  }
}

void PlanLines::add(const std::vector<HoleAnswer>& holes) {
  const auto shown = holes_shown(holes);
  if (!shown) {
    const bool any = std::any_of(holes.begin(), holes.end(), [](const HoleAnswer& hole) {
      return !hole.is_edge && hole.answer.is_good();
    });
    if (any) {
      out_.by_hand.emplace_back(
          "some registers between points of the map answer, and some do not: list those that do in "
          "the map, and leave `holes` at refuse");
    }
    return;
  }
  const auto& stated = slave().holes;
  const bool same = stated && stated->value == *shown;
  settle("holes", in_quotes(text_of(*shown)),
         *shown == model::Holes::zero ? "registers between its points answer"
                                      : "registers between its points are refused (exception 02)",
         !same, stated && stated->value != model::Holes::unknown && !same);
  confirm("holes");
}

void PlanLines::add(const LengthAnswer& length) {
  if (length.block.count == 0 || !length.refused) return;
  const bool bits = is_bit_area(length.block.area);
  const auto& stated = bits ? slave().max_read_bits : slave().max_read;
  const std::string key = bits ? "max_read_bits" : "max_read";
  const std::int64_t longest = length.block.count;
  // what is stated may well lie between what was answered and what was refused
  const bool fits = stated && stated->value >= longest && stated->value < *length.refused;
  settle(key, std::to_string(fits ? stated->value : longest),
         fmt::format("{} are answered, {} are refused (exception 03)", longest, *length.refused),
         !fits, stated && !fits);
  confirm(key);
}

void PlanLines::add(const AtOnceAnswer& at_once) {
  const auto& in_flight = slave().in_flight;
  if (in_flight && at_once.too_many && in_flight->value >= *at_once.too_many) {
    settle("in_flight", std::to_string(std::max<std::int64_t>(1, at_once.requests)),
           fmt::format("{} at once are not all answered", *at_once.too_many), true, true);
  } else if (in_flight && in_flight->value <= at_once.requests) {
    settle("in_flight", std::to_string(in_flight->value),
           fmt::format("{} at once are answered", at_once.requests), false, false);
  }
  if (!at_once.last_connection || at_once.connections == 0) return;
  const auto& stated = slave().connections;
  if (stated && stated->value > at_once.connections) {
    out_.by_hand.push_back(
        fmt::format("connections = {} is stated, and {} could be opened now: others may hold the "
                    "rest, or it bears fewer",
                    stated->value, at_once.connections));
    return;
  }
  settle("connections", std::to_string(at_once.connections),
         fmt::format("{} stay open at once, one more does not", at_once.connections),
         !stated || stated->value != at_once.connections, false);
}

void PlanLines::add_reply(const model::Delay& reply, std::size_t answers) {
  if (answers == 0) return;
  const model::Delay state = reply_to_state(reply);
  const auto& stated = slave().reply;
  const bool refuted = stated && stated->value.max < reply.max;
  const bool fits = stated && !refuted;
  settle("reply", delay_text(fits ? stated->value : state),
         fmt::format("{} answers, the longest after {}", answers, model::in_ms(reply.max)), !fits,
         refuted);
  for (SettledKey& each : out_.keys) {
    if (each.key.key == "reply") each.delay = fits ? stated->value : state;
  }
  // that a longest was not exceeded in a few answers proves nothing of it
  if (!fits) confirm("reply");
}

ProbeLines PlanLines::take() {
  if (slave().assumed && !confirmed_.empty()) {
    std::string left;
    bool changed = false;
    for (const auto& key : slave().assumed->value) {
      const bool gone =
          std::find(confirmed_.begin(), confirmed_.end(), key.value) != confirmed_.end();
      changed = changed || gone;
      if (!gone) left += (left.empty() ? "" : ", ") + in_quotes(key.value);
    }
    if (changed) settle("assumed", "[" + left + "]", "the rest is confirmed", true, false);
  }
  return std::move(out_);
}

}  // namespace greymet::engine
