// The real world: sockets, serial ports and pseudo-terminals, on the clock of the computer.
//
// Carries out what masters and stations of the engine want done, and tells them what arrives. Reads
// and writes never block. One thread; everything happens inside run_until() and finish(), and what
// those call back must not block either: meanwhile no wire is served.
#pragma once

#include <memory>
#include <set>
#include <stop_token>
#include <string>
#include <tl/expected.hpp>
#include <vector>

#include "engine/stage.h"
#include "engine/station.h"
#include "live/endpoints.h"

namespace greymet::live {

using model::Duration;

// Why a device, port or host could not be used; one line, ready to be shown.
struct LiveError {
  std::string message;
};

// Which ends of the plan to be, and where.
struct RuntimeOptions {
  bool serve = false;                // answer for everybody in the plan,
  std::set<model::Target> served;    // or for these; all if there are none
  Endpoints places;                  // where to answer; else on pseudo-terminals and any port
  bool at_plans_places = false;      // else at the hosts and ports of the plan
  std::string listen = "127.0.0.1";  // address that served ports bind to
  bool still = false;                // served values do not move by themselves
  engine::StationOptions station;
  bool master = false;            // be the masters of the plan,
  std::vector<std::size_t> only;  // or of these controllers; all if empty
  Endpoints endpoints;            // for masters; what is not in it is reached as the plan says
  engine::MasterOptions masters;
  std::stop_token stop;
};

// Owns masters, field and all wires of a run; closing it closes them.
class Runtime final : public engine::Stage {
 public:
  // Opens all ports and lines. With `serve` and `master` what is served is asked here, the rest at
  // `endpoints`. The clock starts with the first run_until().
  [[nodiscard]] static tl::expected<std::unique_ptr<Runtime>, LiveError> open(
      const model::ResolvedPlan& plan, const timing::TimingModel& timing,
      const RuntimeOptions& options);
  ~Runtime() override;

  void run_until(Duration until, const engine::Finished& finished) override;
  void finish(const engine::Finished& finished) override;
  [[nodiscard]] Duration now() const override;
  [[nodiscard]] bool stopped() const override;
  [[nodiscard]] engine::ControllerMemory& memory(std::size_t controller) override;
  [[nodiscard]] engine::Field& field() override;
  [[nodiscard]] std::vector<engine::Program>& programs() override;
  [[nodiscard]] const std::vector<engine::Master>& masters() const override;
  [[nodiscard]] std::uint64_t frames_sent() const override;
  void set_faults(engine::FaultScript script) override;
  void touch() override;

  // What is served, once open.
  [[nodiscard]] const Endpoints& endpoints() const;
  // A line or port that was lost on the way; empty while all is well.
  [[nodiscard]] const std::string& failure() const;
  [[nodiscard]] std::vector<engine::StationCounts> station_counts() const;
  // Closes all wires of masters: what they lead to can be opened anew. Nothing is sent any more.
  void hang_up();

 private:
  struct Impl;
  explicit Runtime(std::unique_ptr<Impl> impl);
  std::unique_ptr<Impl> impl_;
};

}  // namespace greymet::live
