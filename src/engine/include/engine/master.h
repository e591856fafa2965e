// The master side of one controller: what it sends when, and what it makes of what comes back.
//
// No clock and no sockets: a driver tells what arrives and when, calls act() at next_wake() and
// whenever it has told something, and carries out the actions. Instants count from the start of
// the run. The same code runs against virtual wires and against real ones. What an act
// costs grows with the links it concerns, not with those there are. One thread.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <set>
#include <utility>
#include <vector>

#include "engine/master_link.h"
#include "engine/timetable.h"
#include "model/resolved_plan.h"

namespace greymet::engine {

// One controller with all its lines and connections.
class Master {
 public:
  // Keeps references to all of them.
  Master(const model::ResolvedPlan& plan, const timing::TimingModel& timing,
         model::ControllerIndex controller, ControllerMemory& memory, const MasterOptions& options);

  // What happened at `now`, in the order of time. None of these starts anything: act() does.
  void receive(Duration now, std::size_t link, modbus::ByteView bytes);
  void connected(Duration now, std::size_t link);
  void refused(Duration now, std::size_t link, Cause cause = Cause::refused);
  void closed(Duration now, std::size_t link);

  // Everything that is due by `now`, then what can be started.
  void act(Duration now, std::vector<MasterAction>& actions);
  // When act() must be called again if nothing happens before; never for never.
  [[nodiscard]] Duration next_wake() const;

  // What has finished since the last call.
  [[nodiscard]] std::vector<RequestRecord> take_records();
  // Lines and connections of this controller, in the order of TimingModel::queues.
  [[nodiscard]] const std::vector<MasterLink>& links() const { return links_; }
  [[nodiscard]] model::ControllerIndex controller() const { return controller_; }
  // Requests that have been sent and not finished.
  [[nodiscard]] std::size_t under_way() const;
  // From now on nothing new starts, and nothing is tried again.
  void stop();
  // What is under way ends here, unfinished.
  void abandon(Duration now);

 private:
  // A job that a bit or a change of words sets off, and what was seen of them last.
  struct TriggerWatch {
    std::size_t link = 0;  // into links_
    std::size_t job = 0;
    bool bit_was_set = false;
    bool was_known = false;
    std::optional<std::vector<std::uint16_t>> last_words;
  };
  // Links that could start a request now, by since when it waits; those that take places apart.
  class Ready {
   public:
    explicit Ready(std::size_t links) : since_(links) {}
    void set(std::size_t link, std::optional<Duration> since, bool takes_places);
    // The one that goes next, if there is one.
    [[nodiscard]] std::optional<std::size_t> next(bool places_open) const;
    [[nodiscard]] bool wait_for_places() const { return !for_places_.empty(); }

   private:
    using Order = std::set<std::pair<Duration, std::size_t>>;
    std::vector<std::optional<Duration>> since_;
    Order free_;
    Order for_places_;
  };

  [[nodiscard]] std::size_t position_of(std::size_t index) const;
  // Something was told to that link: the next act() looks at it.
  void told(std::size_t position, Duration now);
  void act_on_touched(Duration now);
  void deliver_due(Duration now);
  void look_for_triggers(Duration now);
  [[nodiscard]] bool has_come(TriggerWatch& watch);
  void note_ready(std::size_t position, Duration now);
  void dispatch(Duration now);

  model::ControllerIndex controller_;
  std::unique_ptr<MasterContext> context_;  // links keep its address
  std::vector<MasterLink> links_;
  std::vector<TriggerWatch> triggers_;
  std::uint64_t looked_at_revision_ = ~std::uint64_t{0};
  Timetable wakes_;
  Ready ready_;             // what was released
  Ready ready_continuous_;  // what runs when nothing waits
  std::vector<std::size_t> touched_;
};

}  // namespace greymet::engine
