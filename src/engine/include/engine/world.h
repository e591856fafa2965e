// The virtual world: masters, everybody who answers, and the wires between them, on one virtual
// clock.
//
// Wires take the durations of timing/transaction_times.h, so that requests complete when the
// simulation says they do, to the nanosecond, wherever both are told the same. Bytes really travel:
// frames are encoded, damaged where faults say so, received and decoded. Deterministic for a seed.
#pragma once

#include <cstdint>
#include <deque>
#include <map>
#include <stop_token>
#include <vector>

#include "engine/delay_source.h"
#include "engine/responder.h"
#include "engine/stage.h"
#include "engine/timetable.h"

namespace greymet::engine {

// How the virtual world behaves.
struct WorldOptions {
  timing::Durations durations = timing::Durations::typical;
  std::uint64_t seed = 1;
  bool still = false;  // values do not move by themselves
  bool programs = true;
  // A request meets the faults of the instant when its turn came, in all its tries, as in the
  // simulation; else each reply those of its own instant.
  bool faults_by_request = false;
  FaultScript faults;
  MasterOptions master;
  std::stop_token stop;
};

// One thread; everything happens inside run_until().
class World final : public Stage {
 public:
  // Keeps references to plan and timing.
  World(const model::ResolvedPlan& plan, const timing::TimingModel& timing,
        const WorldOptions& options);

  void run_until(Duration until, const Finished& finished) override;
  void finish(const Finished& finished) override;
  [[nodiscard]] Duration now() const override { return now_; }
  [[nodiscard]] bool stopped() const override { return options_.stop.stop_requested(); }

  [[nodiscard]] ControllerMemory& memory(std::size_t controller) override {
    called_.push_back(controller);  // what it puts there may set something off
    return memories_[controller];
  }
  [[nodiscard]] Field& field() override { return field_; }
  [[nodiscard]] std::vector<Program>& programs() override { return programs_; }
  [[nodiscard]] const std::vector<Master>& masters() const override { return masters_; }
  [[nodiscard]] std::uint64_t frames_sent() const override { return frames_sent_; }
  void set_faults(FaultScript script) override;
  void touch() override;

 private:
  // At one instant: what arrives comes before what is sent on.
  enum class Kind : std::uint8_t {
    to_master,
    connected,
    refused,
    dropped,
    line_end,
    line_arrival,
    to_slave,
    restart
  };
  struct Event {
    Duration at{};
    Kind kind = Kind::to_master;
    std::size_t link = 0;
    std::uint64_t order = 0;
    std::uint64_t epoch = 0;  // of the link's connection; a restart: of the script
    std::size_t job = 0;
    Duration turn{};  // of its request; on a line behind a gateway: whose faults it meets
    modbus::Bytes bytes;
  };
  struct Later {
    bool operator()(const Event& a, const Event& b) const;
  };
  // A serial line behind gateways.
  struct SharedLine {
    bool busy = false;
    std::deque<Event> arrivals;
  };
  struct Wire {
    std::size_t controller = 0;
    std::uint64_t epoch = 0;
    Duration last_arrival{};                     // at the gateway: a connection keeps its order
    std::map<std::size_t, Duration> last_reply;  // on a line, per slave: it answers in order
  };

  void push(Event event);
  void push(Duration at, Kind kind, std::size_t link, std::size_t job);
  // What comes of an event on the same connection, if that still stands then.
  void follow(const Event& cause, Duration at, Kind kind, modbus::Bytes bytes = {});
  void set_off(const MasterAction& action, Duration at, Kind kind);
  [[nodiscard]] Question question(const Event& event, const modbus::Frame& frame,
                                  Duration faults) const;
  // The instant whose faults a request meets that had its turn then and is somewhere now.
  [[nodiscard]] Duration faults_at(Duration turn, Duration now) const {
    return options_.faults_by_request ? turn : now;
  }
  void handle(Event event);
  void carry_out(const std::vector<MasterAction>& actions);
  void send(const MasterAction& action);
  void send_through_gateway(const MasterAction& action, const timing::TransactionTimes& times);
  void reach_slave(const Event& event);
  void begin_on_line(SharedLine& line, Duration at);
  void end_on_line(const Event& event);
  void restart_due(const Fault& fault);
  [[nodiscard]] const model::ExchangeTransaction& transaction(std::size_t link,
                                                              std::size_t job) const {
    return *transactions_[link][job];
  }
  [[nodiscard]] std::optional<modbus::Frame> frame_of(const modbus::Bytes& bytes,
                                                      modbus::Framing framing) const;

  const model::ResolvedPlan& plan_;
  const timing::TimingModel& timing_;
  WorldOptions options_;
  std::vector<ControllerMemory> memories_;
  Field field_;
  Responder responder_;
  std::vector<Master> masters_;
  std::vector<Program> programs_;
  std::vector<std::vector<const model::ExchangeTransaction*>> transactions_;  // by link and job
  std::vector<Wire> wires_;                                                   // per link
  // Direct connections to a peer (first) or slave.
  std::map<std::pair<bool, std::size_t>, std::vector<std::size_t>> connections_;
  std::map<std::size_t, SharedLine> shared_;  // per line behind gateways
  std::vector<Event> events_;                 // a heap
  std::uint64_t order_ = 0;
  std::uint64_t frames_sent_ = 0;
  std::uint64_t scripts_ = 0;  // of faults so far
  DelaySource delays_;
  Duration now_{};
  // Who has to act at once: something of theirs was told or changed.
  std::vector<std::size_t> called_;
  Timetable wakes_;  // of masters and programs, per controller
  void attend(std::size_t controller, const Finished& finished);
};

}  // namespace greymet::engine
