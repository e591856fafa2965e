#include "loaded_program.h"

#include <algorithm>

#include <fmt/format.h>

#include "modbus/pdu.h"
#include "model/ip_address.h"

namespace greymet::cli::internal {

using model::Area;
using model::Located;

namespace {

// Where peers find the word.
std::optional<std::pair<Area, std::uint32_t>> served_place(const model::ResolvedPlan& plan,
                                                           std::size_t controller) {
  const model::ControllerIndex index(controller);
  const model::MemoryRange& word = *plan.fingerprint_words[index];
  const model::MemoryArea& area = plan.plan.controllers[controller].memory[word.area];
  for (const Area served : {Area::holding_register, Area::input_register}) {
    const auto first = plan.layouts[index].served_at(word.area, served);
    if (!first) continue;
    const std::int64_t at = *first + (word.number - area.first);
    if (at < model::addresses_per_area) return std::pair(served, static_cast<std::uint32_t>(at));
  }
  return std::nullopt;
}

// The controller as the slave that it is to its peers; nothing where it answers nowhere.
std::optional<model::Slave> as_slave(const model::Plan& plan, std::size_t controller) {
  const model::Controller& asked = plan.controllers[controller];
  for (const model::Answer& answer : asked.answers) {
    model::Slave slave;
    slave.name = asked.name;
    slave.unit = answer.unit;
    if (answer.line) {
      slave.line = answer.line;
      return slave;
    }
    if (!asked.address) continue;
    slave.host =
        Located<std::string>{model::host_of_address(asked.address->value), asked.address->place};
    slave.port = answer.port;
    slave.timeout = answer.timeout;
    slave.rtt = answer.rtt;
    return slave;
  }
  return std::nullopt;
}

}  // namespace

std::string LoadedProgram::text() const {
  if (!told) return fmt::format("does not tell which exchange is loaded: {}", why_not);
  if (!is_other()) return fmt::format("runs this exchange ({:04X})", wanted);
  if (*told == 0) {
    return fmt::format(
        "tells 0000, not {:04X}: no program of this exchange is loaded, or it does "
        "not run",
        wanted);
  }
  return fmt::format("runs another exchange: it tells {:04X}, this plan's is {:04X}", *told,
                     wanted);
}

std::vector<std::size_t> telling_controllers(const model::ResolvedPlan& plan) {
  std::vector<std::size_t> out;
  for (std::size_t c = 0; c < plan.fingerprint_words.size(); ++c) {
    if (plan.fingerprint_words[model::ControllerIndex(c)]) out.push_back(c);
  }
  return out;
}

LoadedProgram ask_loaded_program(const model::ResolvedPlan& plan, std::size_t controller,
                                 live::HandOptions how) {
  LoadedProgram out;
  out.controller = controller;
  out.wanted = plan.fingerprint_word;
  const auto place = served_place(plan, controller);
  const auto slave = as_slave(plan.plan, controller);
  if (!place) {
    out.why_not = fmt::format("its area does not serve {} to anybody (`serves`)",
                              plan.plan.controllers[controller].fingerprint->value);
    return out;
  }
  out.asked = fmt::format("{}:{}", short_name(place->first), place->second);
  if (!slave) {
    out.why_not = "the plan does not say where it answers (`answers`, `address`)";
    return out;
  }
  model::Plan wider = plan.plan;
  const std::size_t index = wider.slaves.size();
  wider.slaves.push_back(*slave);
  wider.slaves[index].name += " as a slave";
  model::Findings ignored;
  const model::ResolvedPlan resolved = model::resolve(std::move(wider), ignored);
  how.once = true;
  auto hand = live::Hand::open(resolved, {{index, place->first, place->second, 1, false}}, how);
  if (!hand) {
    out.why_not = hand.error().message;
    return out;
  }
  const engine::RequestRecord record = (*hand)->read();
  if (record.outcome == engine::Outcome::good && !record.words.empty()) {
    out.told = record.words.front();
  } else if (record.outcome == engine::Outcome::exception) {
    out.why_not = fmt::format("exception {:02X}, {}", record.exception,
                              modbus::exception_name(record.exception));
  } else {
    out.why_not = to_string(record.cause);
  }
  return out;
}

}  // namespace greymet::cli::internal
