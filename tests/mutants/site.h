// The site: the slaves, wires and programs that a right plan describes, and what becomes of them
// when another exchange is carried out there. No rule is asked.
//
// The right plan is the owner's word: which register has to come to which word of a controller, how
// often, and what is done when it does not; which word has to go to which register; what the slaves
// are and what they take. The other exchange is laid over it: a request goes over its wire, at its
// speed and with its unit, to whoever listens there, is answered, refused or lost, and moves what
// it moves. Times are those of the simulation with the site's own delays, in health and with each
// slave silent.
#pragma once

#include <map>
#include <set>
#include <string>
#include <vector>

#include "model/resolved_plan.h"

namespace greymet::mutants {

enum class HarmKind {
  missing,     // a value does not come, or is not sent, any more
  wrong,       // another one comes there
  written,     // a register is written that nobody meant, or a word that is used otherwise
  unanswered,  // a request that nobody answers, or that is refused
  late,        // less often than it was, or only now and then
  otherwise,   // what is done at a loss, a gate, a status bit: not what it was
  unwatched,   // a heartbeat or watchdog that trips, or watches nothing
  too_slow     // periods or timeouts that cannot be kept, longer stalls
};
[[nodiscard]] std::string_view to_string(HarmKind kind);

struct Harm {
  HarmKind kind = HarmKind::missing;
  std::string what;
  friend auto operator<=>(const Harm&, const Harm&) = default;
};

// What moves in a plan, laid over a site.
struct Move {
  std::string source;
  std::string swap;
  bool cyclic = false;
  bool continuous = false;
  model::Duration period{};
  std::string when;  // what sets it off, and what must be open
  std::string loss;
};
struct Traffic {
  std::map<std::string, std::vector<Move>> to;  // by destination
  std::set<std::string> other;                  // status, and what programs have: by its name
  std::vector<Harm> unanswered;
};

class Site {
 public:
  // Keeps a reference to the right plan.
  explicit Site(const model::ResolvedPlan& right);

  // What goes wrong there that does not with the right plan. Each kind at most some times.
  [[nodiscard]] std::vector<Harm> harms(const model::ResolvedPlan& other) const;

  // Words and bits of controllers that anything uses, by name.
  [[nodiscard]] bool is_used(const std::string& place) const { return used_.contains(place); }

 private:
  struct Times {
    std::map<std::string, std::uint64_t> missed;     // by transaction
    std::map<std::string, model::Duration> stalls;   // by silent slave: the longest
    std::map<std::string, model::Duration> periods;  // by slave asked: the shortest
    std::map<std::string, model::Duration> writes;   // the same of writes
    std::set<std::string> timeouts;                  // slaves that answer behind it
    std::set<std::string> hurt;                      // who misses what when whom is silent
    std::set<std::string> watchdogs;                 // that run out when whom is silent
    std::set<std::string> old;                       // paths and tags older than demanded
    std::set<std::string> good_heartbeats;
  };
  [[nodiscard]] Traffic traffic_of(const model::ResolvedPlan& plan) const;
  [[nodiscard]] std::optional<model::Target> who_answers(const model::ResolvedPlan& plan,
                                                         const model::ExchangeTransaction& t) const;
  [[nodiscard]] bool refuses(const model::Target& target, const model::ExchangeTransaction& t,
                             const model::DeviceBlock& block, bool is_read) const;
  [[nodiscard]] Times times_of(const model::ResolvedPlan& plan) const;
  void compare_traffic(const Traffic& now, std::vector<Harm>& out) const;
  void compare_times(const Times& now, std::vector<Harm>& out) const;
  void compare_heartbeats(const model::ResolvedPlan& other, const Times& times,
                          std::vector<Harm>& out) const;

  const model::ResolvedPlan& right_;
  Traffic traffic_;
  Times times_;
  std::set<std::string> used_;
};

}  // namespace greymet::mutants
