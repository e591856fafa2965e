// Family S: settings of serial lines.
#include <algorithm>
#include <array>
#include <map>
#include <set>

#include "checks/rules.h"
#include "common/rule_text.h"
#include "model/resolved_plan.h"
#include "model/text_slips.h"

namespace greymet::checks {

using model::Line;

namespace {

constexpr std::int64_t highest_unit = 247;  // V1.02, section 2.2
constexpr double most_unit_loads = 32;      // V1.02, section 3.4.1
constexpr std::array<std::int64_t, 15> usual_rates{300,   600,   1200,   2400,   4800,
                                                   9600,  14400, 19200,  28800,  38400,
                                                   57600, 76800, 115200, 230400, 460800};

// Somebody who answers on a line: a slave, or a controller through one of its answers.
struct Station {
  model::Subject subject;
  std::int64_t unit = 0;
  Range unit_place;
  bool is_master = false;
  double unit_load = 1;
};

std::vector<std::vector<Station>> stations_of(const model::ResolvedPlan& in) {
  std::vector<std::vector<Station>> stations(in.plan.lines.size());
  for (std::size_t s = 0; s < in.plan.slaves.size(); ++s) {
    const model::Slave& slave = in.plan.slaves[s];
    if (!in.slave_line[s] || !slave.unit) continue;
    stations[*in.slave_line[s]].push_back({subject_of(slave), slave.unit->value, slave.unit->place,
                                           false, in.exchange.slaves[s].unit_load});
  }
  for (std::size_t c = 0; c < in.plan.controllers.size(); ++c) {
    const auto& answers = in.plan.controllers[c].answers;
    for (std::size_t a = 0; a < answers.size(); ++a) {
      const auto line = in.answer_lines[c][a];
      if (!line || !answers[a].unit) continue;
      stations[*line].push_back({subject_of(in.plan.controllers[c]), answers[a].unit->value,
                                 answers[a].unit->place,
                                 in.line_master[*line] == model::ControllerIndex(c), 1});
    }
  }
  return stations;
}

// How the settings of a slave differ from those of its line.
struct Difference {
  const model::Slave* slave = nullptr;
  Range place;
  std::string text;    // "baud 9600 where the line has 19200"
  std::string lines;   // the line's settings of these items: "baud = 19200"
  std::string slaves;  // the slave's: "baud = 9600"
};

std::optional<Difference> difference_of(const model::Slave& slave, const Line& line) {
  std::vector<std::string> texts;
  std::vector<std::string> lines;
  std::vector<std::string> slaves;
  Difference difference{&slave, {}, {}, {}, {}};
  const auto compare = [&](std::string_view item, const auto& mine, const auto& of_line,
                           const auto& text) {
    if (!mine || !of_line || mine->value == of_line->value) return;
    if (texts.empty()) difference.place = mine->place;
    texts.push_back(
        fmt::format("{} {} where the line has {}", item, text(mine->value), text(of_line->value)));
    lines.push_back(fmt::format("{} = {}", item, text(of_line->value)));
    slaves.push_back(fmt::format("{} = {}", item, text(mine->value)));
  };
  compare("mode", slave.settings.mode, line.settings.mode,
          [](auto v) { return fmt::format("\"{}\"", to_string(v)); });
  compare("baud", slave.settings.baud, line.settings.baud,
          [](auto v) { return fmt::format("{}", v); });
  compare("format", slave.settings.format, line.settings.format,
          [](auto v) { return fmt::format("\"{}\"", to_text(v)); });
  if (texts.empty()) return std::nullopt;
  difference.text = fmt::format("{}", fmt::join(texts, ", "));
  difference.lines = fmt::format("{}", fmt::join(lines, ", "));
  difference.slaves = fmt::format("{}", fmt::join(slaves, ", "));
  return difference;
}

// S01. Where all slaves of a line (two or more) differ in the same way, the line is the cause.
void check_slave_settings(const model::ResolvedPlan& in, std::size_t index, Findings& out) {
  const Line& line = in.plan.lines[index];
  std::vector<Difference> differences;
  std::size_t stated = 0;
  for (std::size_t s = 0; s < in.plan.slaves.size(); ++s) {
    const model::Slave& slave = in.plan.slaves[s];
    if (in.slave_line[s] != index) continue;
    const auto& settings = slave.settings;
    if (settings.mode || settings.baud || settings.format) ++stated;
    if (auto difference = difference_of(slave, line)) differences.push_back(std::move(*difference));
  }
  const bool all_alike =
      differences.size() >= 2 && differences.size() == stated &&
      std::all_of(differences.begin(), differences.end(),
                  [&](const Difference& d) { return d.text == differences.front().text; });
  if (all_alike) {
    const Difference& first = differences.front();
    report(out, RuleCode::S01, Severity::error, line.place, subject_of(line),
           fmt::format("all {} slaves are set differently: {}", differences.size(), first.text),
           fmt::format("write {} at the line", first.slaves),
           {{first.place, fmt::format("slave {} for one", first.slave->name)}});
    return;
  }
  for (const Difference& d : differences) {
    report(out, RuleCode::S01, Severity::error, d.place, subject_of(*d.slave),
           fmt::format("set differently from line {}: {}", line.name, d.text),
           fmt::format("set the slave to {}, or change the line", d.lines),
           {{line.place, "the line is here"}});
  }
}

void check_units(const Line& line, const std::vector<Station>& stations, Findings& out) {
  std::map<std::int64_t, const Station*> by_unit;
  std::set<std::int64_t> taken;
  for (const Station& station : stations) taken.insert(station.unit);
  std::int64_t free_unit = 1;
  while (taken.contains(free_unit)) ++free_unit;
  const std::string free_text = free_unit <= highest_unit
                                    ? fmt::format("{} is the lowest free one", free_unit)
                                    : std::string("none is free on this line");
  for (const Station& station : stations) {
    if (station.unit < 0 || station.unit > highest_unit) {
      report(out, RuleCode::S03, Severity::error, station.unit_place, station.subject,
             fmt::format("unit {} is out of range: slaves have 1 to 247, 0 is the broadcast",
                         station.unit),
             "write the address that is set at the slave");
      continue;
    }
    if (station.unit == 0) continue;  // stands for everybody
    const auto [at, is_new] = by_unit.try_emplace(station.unit, &station);
    if (is_new) continue;
    const Station& first = *at->second;
    const bool master = station.is_master || first.is_master;
    report(out, master ? RuleCode::S04 : RuleCode::S02, Severity::error, station.unit_place,
           station.subject,
           fmt::format("unit {} on line {} is also that of {}{}", station.unit, line.name,
                       first.subject, master ? ", and one of them is the line's master" : ""),
           fmt::format("give one of them another unit; {}", free_text),
           {{first.unit_place, "the other one is here"}});
  }
}

// S10: V1.02 3.4.2 and 3.5 for 9600 baud and below; above, length in metres times rate stays below
// 10^8, the usual measure of balanced lines.
void check_cable(const Line& line, model::Medium medium, Findings& out) {
  constexpr double longest = 1000;
  constexpr double longest_rs232 = 20;
  constexpr double metre_baud = 1e8;
  constexpr double longest_stub = 20;
  const bool balanced = medium != model::Medium::rs232;
  if (line.length_m) {
    const double baud =
        line.settings.baud ? static_cast<double>(line.settings.baud->value) : 9600.0;
    const double most =
        balanced ? std::min(longest, metre_baud / std::max(baud, 1.0)) : longest_rs232;
    if (line.length_m->value > most) {
      report(out, RuleCode::S10, Severity::warning, line.length_m->place, subject_of(line),
             fmt::format("{:g} m of cable; at {:g} baud {} is sure to work over {:.0f} m",
                         line.length_m->value, baud, balanced ? "RS-485" : "RS-232", most),
             balanced ? "write a lower baud rate, or split the line by a repeater or gateway"
                      : "use RS-485, or put the master nearer");
    }
  }
  if (line.stub_m && balanced && line.stub_m->value > longest_stub) {
    report(out, RuleCode::S10, Severity::warning, line.stub_m->place, subject_of(line),
           fmt::format("a branch of {:g} m; none may be longer than 20 m", line.stub_m->value),
           "lead the trunk from device to device");
  }
}

void check_line(const Line& line, model::Medium medium, const std::vector<Station>& stations,
                Findings& out) {
  const model::Subject subject = subject_of(line);
  const model::SerialSettings& settings = line.settings;
  if (settings.format && settings.mode) {
    const model::CharacterFormat format = settings.format->value;
    const bool rtu = settings.mode->value == model::SerialMode::rtu;
    if (rtu && format.data_bits == 7) {
      report(out, RuleCode::S05, Severity::error, settings.format->place, subject,
             fmt::format("\"{}\" has 7 data bits; RTU sends bytes of 8", to_text(format)),
             "write format = \"8E1\", or mode = \"ascii\"");
    } else if (!rtu && format.data_bits == 8) {
      report(out, RuleCode::S05, Severity::warning, settings.format->place, subject,
             fmt::format("\"{}\" has 8 data bits; ASCII sends characters of 7", to_text(format)),
             fmt::format("write format = \"7{}{}\" if the slaves are set so, or mode = \"rtu\"",
                         to_text(format)[1], format.stop_bits));
    } else if (format.parity == model::Parity::none && format.stop_bits == 1) {
      report(
          out, RuleCode::S05, Severity::note, settings.format->place, subject,
          fmt::format("\"{}\" has {} bits to a character; the standard's has {}: without parity, "
                      "2 stop bits",
                      to_text(format), bits_per_character(format), rtu ? 11 : 10),
          fmt::format("write format = \"{}N2\" if all slaves can", format.data_bits));
    }
  }
  const auto slaves = std::count_if(stations.begin(), stations.end(),
                                    [](const Station& s) { return s.unit != 0 && !s.is_master; });
  if (medium == model::Medium::rs232 && slaves > 1) {
    report(out, RuleCode::S06, Severity::error, place_or(line.medium, line.place), subject,
           fmt::format("{} slaves on rs232, which joins two devices only", slaves),
           "write medium = \"rs485\" if that is what is wired, or give each slave its own line");
  }
  double loads = 1;  // the master's own receiver
  for (const Station& station : stations) {
    if (!station.is_master && station.unit != 0) loads += station.unit_load;
  }
  if (medium != model::Medium::rs232 && loads > most_unit_loads) {
    report(out, RuleCode::S07, Severity::warning, line.place, subject,
           fmt::format("{:g} unit loads with the master's own; a driver is sure to move 32", loads),
           "split the line, add a repeater, or state unit_load where a slave has less than 1");
  }
  check_cable(line, medium, out);
  if (settings.baud && std::find(usual_rates.begin(), usual_rates.end(), settings.baud->value) ==
                           usual_rates.end()) {
    const std::int64_t baud = settings.baud->value;
    // what is next to a usual rate, or has a digit too many or too few, is a slip
    const auto meant = std::find_if(usual_rates.begin(), usual_rates.end(), [&](std::int64_t rate) {
      const std::int64_t off = baud > rate ? baud - rate : rate - baud;
      return off * 100 <= rate || baud == 10 * rate || rate == 10 * baud;
    });
    report(out, RuleCode::S08, meant == usual_rates.end() ? Severity::note : Severity::warning,
           settings.baud->place, subject, fmt::format("{} baud is not a usual rate", baud),
           meant == usual_rates.end() ? std::string("9600 and 19200 are offered by all devices")
                                      : fmt::format("write baud = {} if that is meant", *meant));
  }
}

// "/dev/ttyS1" and "ttys1" are one port, as "COM1" and "com1" are.
std::string port_of(std::string_view text) {
  constexpr std::string_view folder = "/dev/";
  std::string port = model::in_small_letters(text);
  if (port.starts_with(folder)) port.erase(0, folder.size());
  return port;
}

void check_ports(const model::ResolvedPlan& in, Findings& out) {
  std::map<std::pair<std::size_t, std::string>, const Line*> by_port;
  std::map<std::size_t, const Line*> by_gateway;
  for (std::size_t l = 0; l < in.plan.lines.size(); ++l) {
    const Line& line = in.plan.lines[l];
    const model::Subject subject = subject_of(line);
    if (in.line_master[l] && line.port) {
      const auto [at, is_new] =
          by_port.try_emplace({*in.line_master[l], port_of(line.port->value)}, &line);
      if (!is_new) {
        report(
            out, RuleCode::S04, Severity::error, line.port->place, subject,
            fmt::format("port {} is already that of line {}{}", line.port->value, at->second->name,
                        line.port->value == at->second->port->value
                            ? std::string()
                            : fmt::format(", there written {}", at->second->port->value)),
            "each line needs a port of its own",
            {{at->second->port->place, "the other line is here"}});
      }
    }
    if (in.line_gateway[l]) {
      const auto [at, is_new] = by_gateway.try_emplace(*in.line_gateway[l], &line);
      if (!is_new) {
        report(out, RuleCode::S04, Severity::error, line.via->place, subject,
               fmt::format("gateway {} already has line {} behind it", line.via->value,
                           at->second->name),
               "declare a second gateway with the same host and the port of the other serial side",
               {{at->second->via->place, "the other line is here"}});
      }
    }
  }
}

void check_transactions(const model::ResolvedPlan& in, Findings& out) {
  for (const model::ResolvedTransaction& t : in.transactions) {
    if (!t.channel || !t.channel->line || !t.controller) continue;
    const model::Transaction& declared = in.declared(t);
    const std::size_t l = *t.channel->line;
    if (in.line_master[l] && in.line_master[l] != t.controller) {
      const std::string& master = in.plan.controllers[*in.line_master[l]].name;
      report(out, RuleCode::S04, Severity::error, place_or(declared.controller, declared.place),
             subject_of(declared),
             fmt::format("controller {} is not the master of line {}: {} is",
                         in.plan.controllers[*t.controller].name, in.plan.lines[l].name, master),
             fmt::format("write controller = \"{}\", or move the slave to another line", master),
             {{in.plan.lines[l].place, "the line is here"}});
    }
    if (t.target->is_peer || !t.function || !model::reads(*t.function)) continue;
    const model::Slave& slave = in.plan.slaves[t.target->index];
    if (slave.unit && slave.unit->value == 0) {
      report(out, RuleCode::S09, Severity::error, place_or(declared.function, declared.place),
             subject_of(declared),
             fmt::format("function {} reads from unit 0: nobody answers a broadcast",
                         number_of(*t.function)),
             "read each slave by its own unit; 5, 6, 15, 16 and 22 may be broadcast");
    }
  }
}

}  // namespace

void check_settings(const RuleInput& input, Findings& out) {
  const model::ResolvedPlan& in = input.plan;
  const auto stations = stations_of(in);
  for (std::size_t l = 0; l < in.plan.lines.size(); ++l) {
    check_units(in.plan.lines[l], stations[l], out);
    check_line(in.plan.lines[l], in.exchange.lines[l].medium, stations[l], out);
    check_slave_settings(in, l, out);
  }
  check_ports(in, out);
  check_transactions(in, out);
}

}  // namespace greymet::checks
