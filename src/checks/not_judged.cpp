#include "checks/not_judged.h"

#include <algorithm>
#include <set>

#include <fmt/format.h>

#include "model/resolved_plan.h"

namespace greymet::checks {

namespace {

class Collector {
 public:
  explicit Collector(const model::ResolvedPlan& plan) : plan_(plan) {
    for (const model::ResolvedTransaction& t : plan.transactions) {
      if (t.target && !t.target->is_peer) asked_.insert(t.target->index);
      if (t.controller) masters_.insert(*t.controller);
    }
  }

  std::vector<NotJudged> collect() {
    slaves("addresses", "no map", "map = \"maps/<slave>.csv\" at the slave",
           [](const model::Slave& s, std::size_t) { return !s.map_file; });
    slaves("holes", "no map_covers",
           "map_covers = \"all\" or \"some\" at the slave, and holes = \"refuse\" or \"zero\"",
           [this](const model::Slave& s, std::size_t i) {
             const auto& effective = plan_.exchange.slaves[i];
             return s.map_file && !s.map_covers && !effective.map_is_complete() && !s.holes;
           });
    slaves("function codes", "no functions", "functions = [3, 16] at the slave, from its manual",
           [](const model::Slave& s, std::size_t) { return !s.functions; });
    slaves(
        "settings", "no settings",
        "settings = { mode = \"rtu\", baud = 19200, format = \"8E1\" } at the slave, as read off "
        "it",
        [](const model::Slave& s, std::size_t) {
          return s.line && !s.settings.mode && !s.settings.baud && !s.settings.format;
        });
    slaves(
        "reply times", "defaults", "reply = { typical = \"6ms\", max = \"25ms\" } at the slave",
        [&](const model::Slave& s, std::size_t index) { return !s.reply && !is_measured(index); });
    slaves("round trips", "defaults", "rtt = { typical = \"1ms\", max = \"5ms\" } at the slave",
           [](const model::Slave& s, std::size_t) { return s.host && !s.line && !s.rtt; });
    slaves("connection limits", "no connections",
           "connections = 2 at the slave, as many as it accepts",
           [](const model::Slave& s, std::size_t) { return s.host && !s.line && !s.connections; });
    gateways();
    maps();
    controllers("limits", "no model", "model = \"models/<type>.toml\" at the controller",
                [](const model::Controller& c) { return !c.model_file; });
    controllers("both ends of values", "no tags",
                "tags = \"tags/<controller>.csv\" at the controller: the variables of its program",
                [](const model::Controller& c) { return !c.tags_files; });
    controllers("word orders of tags", "no word_order",
                "word_order = \"ABCD\" or another at the controller, as its program takes long "
                "values",
                [](const model::Controller& c) {
                  return c.tags && !c.word_order &&
                         std::any_of(c.tags->tags.begin(), c.tags->tags.end(),
                                     [](const model::Tag& tag) {
                                       return !tag.word_order && is_multi_register(tag.type.type);
                                     });
                });
    controllers("scans", "defaults", "scan = \"10ms\" at the controller",
                [](const model::Controller& c) { return !c.scan; });
    if (on_network()) {
      controllers("subnets", "no address",
                  "address = \"<its address>/<length of its subnet>\" at the controller",
                  [](const model::Controller& c) { return !c.address; });
    }
    return std::move(list_);
  }

 private:
  void add(std::string what, std::vector<std::string> subjects, std::string because,
           std::string cure) {
    if (subjects.empty()) return;
    list_.push_back({std::move(what), std::move(subjects), std::move(because), std::move(cure)});
  }

  // Those that are asked.
  template <class Lacks>
  void slaves(std::string_view what, std::string_view because, std::string_view cure,
              const Lacks& lacks) {
    std::vector<std::string> subjects;
    for (const std::size_t s : asked_) {
      const model::Slave& slave = plan_.plan.slaves[s];
      if (lacks(slave, s)) subjects.push_back(to_text(subject_of(slave)));
    }
    add(std::string(what), std::move(subjects), std::string(because), std::string(cure));
  }

  // Those that ask.
  template <class Lacks>
  void controllers(std::string_view what, std::string_view because, std::string_view cure,
                   const Lacks& lacks) {
    std::vector<std::string> subjects;
    for (const std::size_t c : masters_) {
      const model::Controller& controller = plan_.plan.controllers[c];
      if (lacks(controller)) subjects.push_back(to_text(subject_of(controller)));
    }
    add(std::string(what), std::move(subjects), std::string(because), std::string(cure));
  }

  // Its reply time was measured.
  [[nodiscard]] bool is_measured(std::size_t slave) const {
    return plan_.plan.measured.facts.contains(
        {model::FactKind::reply, model::FactOwner::slave, slave, 0});
  }

  void gateways() {
    std::vector<std::string> subjects;
    for (const model::Gateway& g : plan_.plan.gateways) {
      if (!g.delay) subjects.push_back(to_text(subject_of(g)));
    }
    add("delays", std::move(subjects), "defaults",
        "delay = { typical = \"2ms\", max = \"10ms\" } at the gateway");
  }

  // Without ranges neither factors nor types can be doubted.
  void maps() {
    std::vector<std::string> files;
    for (const std::size_t s : asked_) {
      const model::RegisterMap* map = plan_.map_of({false, s, 0});
      if (map == nullptr || map->points().empty()) continue;
      const bool ranged =
          std::any_of(map->points().begin(), map->points().end(),
                      [](const model::Point& p) { return p.min.has_value() || p.max.has_value(); });
      const bool numbers =
          std::any_of(map->points().begin(), map->points().end(), [](const model::Point& p) {
            return p.type.kind != model::TypeKind::boolean &&
                   p.type.kind != model::TypeKind::text && p.type.kind != model::TypeKind::bits;
          });
      const std::string name = fmt::format("map {}", map->file());
      if (!ranged && numbers && std::find(files.begin(), files.end(), name) == files.end()) {
        files.push_back(name);
      }
    }
    add("ranges", std::move(files), "no min and max", "columns min and max in the map");
  }

  [[nodiscard]] bool on_network() const { return !plan_.exchange.connections.empty(); }

  const model::ResolvedPlan& plan_;
  std::set<std::size_t> asked_;    // slaves
  std::set<std::size_t> masters_;  // controllers
  std::vector<NotJudged> list_;
};

}  // namespace

std::vector<NotJudged> not_judged(const model::ResolvedPlan& resolved) {
  return Collector(resolved).collect();
}

std::string text_of(const std::vector<NotJudged>& list) {
  std::string text;
  for (const NotJudged& each : list) {
    const std::string_view subject(each.subjects.front());
    const std::string_view kind = subject.substr(0, subject.find(' '));
    const std::string who = each.subjects.size() == 1
                                ? each.subjects.front()
                                : fmt::format("{} {}s", each.subjects.size(), kind);
    text += fmt::format("{}{} of {} ({})", text.empty() ? "" : ", ", each.what, who, each.because);
  }
  return text;
}

}  // namespace greymet::checks
