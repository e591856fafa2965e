// Where an exchange is carried out: on virtual wires, or on real ones.
//
// A rehearsal is written once against this; the two stages share masters, field and programs and
// differ in who moves the bytes and the clock.
#pragma once

#include <functional>
#include <string>
#include <vector>

#include "engine/faults.h"
#include "engine/field.h"
#include "engine/master.h"
#include "engine/program.h"

namespace greymet::engine {

using Finished = std::function<void(const RequestRecord&)>;

// How long finish() waits.
inline constexpr Duration longest_ending = std::chrono::seconds(5);

// Owns all that it gives out; references stay good as long as it lives. One thread.
class Stage {
 public:
  Stage() = default;
  Stage(const Stage&) = delete;
  Stage& operator=(const Stage&) = delete;
  virtual ~Stage() = default;

  // Goes on until `until`, handing out each finished request. What is due at that instant still
  // happens. Returns early once stopped().
  virtual void run_until(Duration until, const Finished& finished) = 0;
  // Nothing new starts any more; what is under way is waited for, some seconds at most and not at
  // all once stopped() by a lost wire. What has not ended by then is handed out as unfinished.
  virtual void finish(const Finished& finished) = 0;
  // Where the run has come to: after a stop, where it stopped.
  [[nodiscard]] virtual Duration now() const = 0;
  // True once somebody asked to stop, or a wire is gone.
  [[nodiscard]] virtual bool stopped() const = 0;

  [[nodiscard]] virtual ControllerMemory& memory(std::size_t controller) = 0;
  [[nodiscard]] virtual Field& field() = 0;
  [[nodiscard]] virtual std::vector<Program>& programs() = 0;
  [[nodiscard]] virtual const std::vector<Master>& masters() const = 0;
  // Frames that were handed to wires, all masters' together: counted there and not by the masters.
  [[nodiscard]] virtual std::uint64_t frames_sent() const = 0;
  // Instants of the script count from the start of the run.
  virtual void set_faults(FaultScript script) = 0;
  // Values were changed from outside: look at them now.
  virtual void touch() = 0;
};

// Lines and connections on which something came that was no answer.
struct OddWire {
  std::string name;  // of its queue
  OddityCounts counts;
};
[[nodiscard]] std::vector<OddWire> odd_wires(const std::vector<Master>& masters);
[[nodiscard]] std::uint64_t total_of(const std::vector<OddWire>& wires);

}  // namespace greymet::engine
