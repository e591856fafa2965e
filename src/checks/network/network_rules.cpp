// Family N, first half: who is who on the network (N01 to N04, N07 to N10, N12).
#include <algorithm>
#include <map>
#include <set>

#include "address_claims.h"
#include "checks/rules.h"
#include "common/cure_edits.h"
#include "common/rule_text.h"
#include "model/ip_address.h"
#include "model/resolved_plan.h"

namespace greymet::checks {

using internal::BoxKind;
using internal::Claim;
using internal::claims_of;
using internal::one_box;

namespace {

constexpr std::int64_t highest_port = 65535;

class NetworkRules {
 public:
  NetworkRules(const RuleInput& in, Findings& out)
      : in_(in.plan), claims_(claims_of(in.plan)), out_(out) {}

  void check() {
    check_hosts();
    check_identity();
    check_ports_and_units();
    check_subnets();
    check_connections();
    check_allowed();
  }

 private:
  // N09
  void check_hosts() {
    for (const Claim& claim : claims_) {
      const auto host = model::check_host(claim.host);
      if (!host) {
        bad_hosts_.insert(claim.subject);
        report(out_, RuleCode::N09, Severity::error, claim.place, claim.subject,
               host.error().message, host.error().remedy);
      } else if (claim.kind != BoxKind::controller) {
        check_special_address(claim);
      }
    }
    for (const model::Controller& c : in_.plan.controllers) {
      const model::Subject subject = subject_of(c);
      if (c.address && !bad_hosts_.contains(subject)) check_prefix(c, subject);
      for (const model::Answer& answer : c.answers) {
        if (answer.port) check_port(answer.port->value, answer.port->place, subject);
      }
    }
    for (const Claim& claim : claims_) {
      if (claim.port_written) check_port(claim.port, claim.port_place, claim.subject);
    }
  }

  void check_port(std::int64_t port, Range place, const model::Subject& subject) {
    if (port >= 1 && port <= highest_port) return;
    report(out_, RuleCode::N09, Severity::error, place, subject,
           fmt::format("port {} does not exist: ports are 1 to 65535", port),
           "write port = 502, unless the device's manual says otherwise");
  }

  void check_prefix(const model::Controller& c, const model::Subject& subject) {
    const std::string& text = c.address->value;
    const auto address = model::parse_ipv4(text);
    if (text.find('/') != std::string::npos && !address) {
      report(out_, RuleCode::N09, Severity::error, c.address->place, subject,
             fmt::format("'{}' is no address with a subnet", text.substr(0, 60)),
             "write the address, a slash and the length of its subnet in bits");
    } else if (address &&
               (address->names_network(*address) || address->names_everybody(*address))) {
      report(out_, RuleCode::N09, Severity::error, c.address->place, subject,
             fmt::format("'{}' {}, not one controller", text,
                         address->names_network(*address) ? "names the whole subnet"
                                                          : "reaches everybody in the subnet"),
             "write the controller's own address");
    }
  }

  // The first and the last address of a master's subnet belong to no box.
  void check_special_address(const Claim& claim) {
    const auto host = model::parse_ipv4(claim.host);
    if (!host) return;
    for (const model::Controller& c : in_.plan.controllers) {
      const auto own = c.address ? model::parse_ipv4(c.address->value) : std::nullopt;
      if (!own || (!own->names_network(*host) && !own->names_everybody(*host))) continue;
      bad_hosts_.insert(claim.subject);
      report(out_, RuleCode::N09, Severity::error, claim.place, claim.subject,
             fmt::format("'{}' {} {} of controller {}", claim.host,
                         own->names_network(*host) ? "names the whole subnet"
                                                   : "reaches everybody in the subnet",
                         subnet_text(*own), c.name),
             "write the address that is set at the box");
      return;
    }
  }

  // N01, N03, N12. Which claims one box can satisfy is an equivalence, so each is held against the
  // first of its host only.
  void check_identity() {
    std::map<std::string, const Claim*> by_host;
    std::map<std::pair<std::string, std::int64_t>, const Claim*> by_port;
    for (const Claim& claim : claims_) {
      const Claim& first = *by_host.try_emplace(claim.host, &claim).first->second;
      if (claim.kind != BoxKind::controller) {
        const Claim& there = *by_port.try_emplace({claim.host, claim.port}, &claim).first->second;
        const bool gateway = claim.kind == BoxKind::gateway || there.kind == BoxKind::gateway;
        if (&there != &claim && gateway) {
          report_one_port(there, claim);
          continue;
        }
      }
      if (&first != &claim && !one_box(first, claim)) report_two_boxes(first, claim);
    }
    check_units();
  }

  // N12
  void report_one_port(const Claim& first, const Claim& claim) {
    report(out_, RuleCode::N12, Severity::error, claim.place, claim.subject,
           fmt::format("{}:{} is already {}: one port of a box leads to one serial line",
                       claim.host, claim.port, first.subject),
           claim.kind == first.kind
               ? "write the port of the other serial side, or hang both lines' slaves on one line"
               : "hang the slave on the line behind the gateway, or write its own host and port",
           {{first.place, "the other one is here"}});
  }

  // N03: slaves that are reached by the same host, port and unit, by whatever name and way. Two on
  // one line are S02's.
  void check_units() {
    struct Way {
      std::size_t slave = 0;
      std::optional<std::size_t> line;
      Range place;
    };
    std::map<std::tuple<std::string, std::int64_t, std::int64_t>, Way> by_unit;
    for (std::size_t i = 0; i < in_.plan.slaves.size(); ++i) {
      const model::Slave& s = in_.plan.slaves[i];
      const model::ExchangeSlave& effective = in_.exchange.slaves[i];
      if (!effective.unit) continue;
      Way way{i, {}, s.unit ? s.unit->place : s.place};
      std::string host;
      std::int64_t port = 0;
      if (s.host && !s.line) {
        host = s.host->value;
        port = effective.port;
        way.place = s.host->place;
      } else if (in_.slave_line[i] && in_.line_gateway[*in_.slave_line[i]]) {
        const model::ExchangeGateway& gateway =
            in_.exchange.gateways[*in_.line_gateway[*in_.slave_line[i]]];
        if (!gateway.host) continue;
        host = *gateway.host;
        port = gateway.port;
        way.line = *in_.slave_line[i];
      } else {
        continue;
      }
      const std::int64_t unit = effective.unit->value;
      const auto [at, is_new] = by_unit.try_emplace({host, port, unit}, way);
      if (is_new || (way.line && at->second.line == way.line)) continue;
      const model::Slave& other = in_.plan.slaves[at->second.slave];
      report(out_, RuleCode::N03, Severity::error, way.place, subject_of(s),
             fmt::format("{}:{} unit {} is also that of {}", host, port, unit, subject_of(other)),
             "write the host of this box, or its own unit behind that host",
             {{at->second.place, "the other one is here"}});
    }
  }

  void report_two_boxes(const Claim& first, const Claim& claim) {
    const bool ports = first.kind == BoxKind::slave && claim.kind == BoxKind::slave;
    report(
        out_, RuleCode::N01, Severity::error, claim.place, claim.subject,
        ports ? fmt::format("{} is also the address of {}, there with port {}, here with {}: two "
                            "boxes on one address",
                            claim.host, first.subject, first.port, claim.port)
              : fmt::format("{} is also the address of {}", claim.host, first.subject),
        ports ? "write the address that is set at this box, or one port if both are units of one "
                "box"
              : "give one of them another address",
        {{first.place, "the other one is here"}});
  }

  // N07, N08
  void check_ports_and_units() {
    std::map<std::string, int> gateways_at;
    std::map<std::pair<std::string, std::int64_t>, int> slaves_at;
    for (const Claim& claim : claims_) {
      if (claim.kind == BoxKind::gateway) ++gateways_at[claim.host];
      if (claim.kind == BoxKind::slave) ++slaves_at[{claim.host, claim.port}];
    }
    for (const Claim& claim : claims_) {
      // the second serial side of a gateway needs a port of its own
      const bool expected = claim.kind == BoxKind::gateway && gateways_at[claim.host] > 1;
      if (claim.port_written && !expected) note_port(claim.port, claim.port_place, claim.subject);
    }
    for (const model::Controller& c : in_.plan.controllers) {
      for (const model::Answer& a : c.answers) {
        if (a.port) note_port(a.port->value, a.port->place, subject_of(c));
      }
    }
    for (std::size_t i = 0; i < in_.plan.slaves.size(); ++i) {
      const model::Slave& s = in_.plan.slaves[i];
      if (!s.host || s.line || !s.unit || s.unit->value == 0 || s.unit->value >= 255) continue;
      // several units at one host and port are told apart by just this number
      if (slaves_at[{s.host->value, in_.exchange.slaves[i].port}] > 1) continue;
      report(out_, RuleCode::N08, Severity::note, s.unit->place, subject_of(s),
             fmt::format("unit {} on a slave with a connection of its own; most expect 255 or 0",
                         s.unit->value),
             "write unit = 255, unless its manual names another one or it is a gateway");
      internal::cure_by_keys(out_, "write unit = 255", s.unit->place, {{"unit", "255"}}, false);
    }
  }

  void note_port(std::int64_t port, Range place, const model::Subject& subject) {
    if (port == model::defaults::tcp_port || port < 1 || port > highest_port) return;
    report(out_, RuleCode::N07, Severity::note, place, subject,
           fmt::format("port {} where 502 is the registered one", port),
           "leave port out, unless the device is set to another one");
  }

  // N02
  void check_subnets() {
    std::set<std::pair<std::size_t, model::Subject>> said;
    for (const model::ResolvedTransaction& t : in_.transactions) {
      if (!t.controller || !t.target || !t.channel || !t.channel->connection) continue;
      const model::Controller& c = in_.plan.controllers[*t.controller];
      if (!c.address || in_.exchange.controllers[*t.controller].router) continue;
      const Box box = box_of(t);
      if (!box.host || !said.insert({*t.controller, box.subject}).second) continue;
      if (bad_hosts_.contains(box.subject) || box.routed) continue;
      const auto own = model::parse_ipv4(c.address->value);
      const auto host = model::parse_ipv4(model::host_of_address(box.host->value));
      if (!own || !own->prefix || !host || own->shares_subnet_with(*host)) continue;
      report(out_, RuleCode::N02, Severity::warning, box.host->place, box.subject,
             fmt::format("{} is outside {}, the subnet of controller {}",
                         model::host_of_address(box.host->value), subnet_text(*own), c.name),
             fmt::format("write an address in {}, or router = true at controller {} if a router "
                         "leads there{}",
                         subnet_text(*own), c.name,
                         box.can_be_routed ? ", or routed = true here" : ""),
             {{c.address->place, "the controller's address is here"}});
    }
  }

  // The box a transaction on TCP is sent to.
  struct Box {
    model::Subject subject;
    model::Declared<std::string> host;
    bool can_be_routed = false;
    bool routed = false;
  };
  [[nodiscard]] Box box_of(const model::ResolvedTransaction& t) const {
    if (t.channel->gateway) {
      const model::Gateway& g = in_.plan.gateways[*t.channel->gateway];
      return {subject_of(g), g.host, false, false};
    }
    if (t.target->is_peer) {
      const model::Controller& c = in_.plan.controllers[t.target->index];
      return {subject_of(c), c.address, false, false};
    }
    const model::Slave& s = in_.plan.slaves[t.target->index];
    return {subject_of(s), s.host, true, in_.exchange.slaves[t.target->index].routed};
  }

  // N04
  void check_connections() {
    std::map<std::pair<std::string, std::int64_t>, std::set<std::size_t>> masters;
    for (const model::Connection& c : in_.exchange.connections) {
      masters[{c.host, c.port}].insert(c.controller);
    }
    const auto count_at = [&](const std::string& host, std::int64_t port) {
      const auto at = masters.find({host, port});
      return at == masters.end() ? std::set<std::size_t>{} : at->second;
    };
    for (std::size_t i = 0; i < in_.plan.slaves.size(); ++i) {
      const model::Slave& s = in_.plan.slaves[i];
      if (!s.host) continue;
      judge_connections(count_at(s.host->value, in_.exchange.slaves[i].port), s.connections,
                        subject_of(s));
    }
    for (std::size_t i = 0; i < in_.plan.gateways.size(); ++i) {
      const model::Gateway& g = in_.plan.gateways[i];
      if (!g.host) continue;
      judge_connections(count_at(g.host->value, in_.exchange.gateways[i].port), g.connections,
                        subject_of(g));
    }
    for (std::size_t i = 0; i < in_.plan.controllers.size(); ++i) {
      const model::Controller& c = in_.plan.controllers[i];
      if (!c.address) continue;
      for (std::size_t k = 0; k < c.answers.size(); ++k) {
        const model::Answer& a = c.answers[k];
        if (a.line) continue;
        judge_connections(count_at(model::host_of_address(c.address->value),
                                   in_.exchange.controllers[i].answers[k].port),
                          a.connections, subject_of(c));
      }
    }
  }

  void judge_connections(const std::set<std::size_t>& masters,
                         const model::Declared<std::int64_t>& limit, model::Subject subject) {
    if (!limit || static_cast<std::int64_t>(masters.size()) <= limit->value) return;
    std::vector<std::string> names;
    names.reserve(masters.size());
    for (std::size_t c : masters) names.push_back(in_.plan.controllers[c].name);
    report(out_, RuleCode::N04, Severity::error, limit->place, std::move(subject),
           fmt::format("{} connections are needed ({}), {} accepted", masters.size(),
                       fmt::join(names, ", "), limit->value),
           "let one of them read and pass the values on, or set connections to what the device "
           "really accepts");
  }

  // N10
  void check_allowed() {
    std::set<std::tuple<std::size_t, std::size_t, std::size_t>> said;
    for (const model::ResolvedTransaction& t : in_.transactions) {
      if (!t.controller || !t.target || !t.target->is_peer || !t.channel ||
          !t.channel->connection) {
        continue;
      }
      const model::Controller& master = in_.plan.controllers[*t.controller];
      const model::Controller& peer = in_.plan.controllers[t.target->index];
      const auto& allows = peer.answers[t.target->answer].allows;
      if (!allows || !master.address) continue;
      if (!said.insert({*t.controller, t.target->index, t.target->answer}).second) continue;
      const std::string own = model::host_of_address(master.address->value);
      const auto own_bits = model::parse_ipv4(own);
      const bool allowed = std::any_of(
          allows->value.begin(), allows->value.end(), [&](const model::Located<std::string>& who) {
            const auto range = model::parse_ipv4(who.value);
            return who.value == own ||
                   (range && own_bits && range->prefix && range->shares_subnet_with(*own_bits));
          });
      if (allowed) continue;
      report(out_, RuleCode::N10, Severity::error, allows->place, subject_of(peer),
             fmt::format("does not let in {}, the address of controller {}", own, master.name),
             fmt::format("add \"{}\" to allows", own),
             {{in_.declared(t).place, "it connects for this transaction"}});
      std::string all = "[";
      for (const auto& who : allows->value) all += fmt::format("\"{}\", ", who.value);
      internal::cure_by_keys(out_, fmt::format("add \"{}\" to allows", own), allows->place,
                             {{"allows", fmt::format("{}\"{}\"]", all, own)}}, false);
    }
  }

  const model::ResolvedPlan& in_;
  std::vector<Claim> claims_;
  Findings& out_;
  std::set<model::Subject> bad_hosts_;
};

}  // namespace

void check_network(const RuleInput& in, Findings& out) {
  NetworkRules(in, out).check();
}

}  // namespace greymet::checks
