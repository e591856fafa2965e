// Who answers on one wire, as a state machine: bytes and time in, bytes and times out.
//
// A line's station stands for all slaves of that line, a host's station for whoever answers at one
// host and port, gateways included. They keep the times of the plan: a request on a line takes its
// characters, a reply its delay and its characters; TCP adds the network's round trip. Faults of
// the script are carried out. No clock and no sockets; one thread.
#pragma once

#include <cstdint>
#include <deque>
#include <map>
#include <memory>
#include <optional>
#include <set>
#include <string>
#include <string_view>
#include <vector>

#include "engine/agenda.h"
#include "engine/delay_source.h"
#include "engine/faults.h"
#include "engine/field.h"
#include "engine/frame_receiver.h"
#include "engine/responder.h"
#include "timing/character.h"

namespace greymet::engine {

// Which delays slaves and networks take.
struct StationOptions {
  timing::Durations durations = timing::Durations::typical;
  std::uint64_t seed = 1;
  Duration silence = std::chrono::milliseconds(20);  // see FrameReceiver
  // Lines: a real one. Characters take their time by themselves, others answer there as well, and
  // what is said may be heard again.
  bool real_line = false;
};

// What a station has to say; `session` is 0 on lines.
struct StationAction {
  enum class Kind : std::uint8_t { send, close };
  Kind kind = Kind::send;
  std::uint64_t session = 0;
  modbus::Bytes bytes;
};

// Requests that a station has served, for who watches it.
struct StationCounts {
  std::uint64_t requests = 0;
  std::uint64_t junk = 0;  // pieces that were no frame
  ReplyCounts answered;
};

// One serial line.
class LineStation {
 public:
  // Keeps references. The line's mode, baud and format must be known.
  LineStation(const model::ResolvedPlan& plan, model::LineIndex line, Field& field,
              const FaultScript& faults, const StationOptions& options);

  void receive(Duration now, modbus::ByteView bytes);
  void act(Duration now, std::vector<StationAction>& actions);
  [[nodiscard]] Duration next_wake() const;
  [[nodiscard]] StationCounts counts() const { return {heard_, junk_, responder_.counts()}; }

 private:
  struct Piece {
    Duration at{};
    modbus::Bytes bytes;
  };
  void take(const Received& received);
  [[nodiscard]] bool is_own(const ReceivedFrame& frame);
  void answer(const ReceivedFrame& frame, Duration end);
  void say(Duration begin, const modbus::Bytes& bytes);

  const model::ResolvedPlan& plan_;
  model::LineIndex line_;
  Field& field_;
  Responder responder_;
  StationOptions options_;
  timing::CharacterTiming characters_;
  modbus::Framing framing_;
  FrameReceiver receiver_;
  std::deque<std::pair<Duration, ReceivedFrame>> requests_;  // with the end of each
  std::deque<Piece> pieces_;                                 // in the order of time
  Duration free_{};                                          // of what was said last
  modbus::Bytes said_;                                       // last, until it was heard
  bool echoes_ = false;                                      // what is said is heard again
  DelaySource delays_;
  std::uint64_t heard_ = 0;
  std::uint64_t junk_ = 0;
};

// One TCP host and port: slaves, a controller, or a gateway.
class HostStation {
 public:
  HostStation(const model::ResolvedPlan& plan, std::string host, std::int64_t port, Field& field,
              const FaultScript& faults, const StationOptions& options);

  // False where the connection is not taken: the limit is reached, a fault refuses it, or it comes
  // from an address that the controller does not allow. This computer may be anybody.
  [[nodiscard]] bool accept(Duration now, std::uint64_t session,
                            std::string_view from = "127.0.0.1");
  void receive(Duration now, std::uint64_t session, modbus::ByteView bytes);
  void closed(std::uint64_t session);
  // Something that was asked over it has not been answered yet.
  [[nodiscard]] bool owes(std::uint64_t session) const;
  void act(Duration now, std::vector<StationAction>& actions);
  [[nodiscard]] Duration next_wake() const;
  [[nodiscard]] StationCounts counts() const { return {heard_, junk_, responder_.counts()}; }
  [[nodiscard]] const std::string& host() const { return host_; }
  [[nodiscard]] std::int64_t port() const { return port_; }

 private:
  struct Session {
    std::unique_ptr<FrameReceiver> receiver;
    Duration last_request{};
    Duration last_reply{};  // replies keep the order of their requests
  };
  struct Outgoing {
    Duration at{};
    std::uint64_t session = 0;
    modbus::Bytes bytes;
    bool close = false;
  };
  // One request on its way to the line behind a gateway.
  struct OnLine {
    Duration arrival{};
    std::uint64_t session = 0;
    ReceivedFrame frame;
  };
  void take(std::uint64_t session, Duration now, const Received& received);
  void answer(std::uint64_t session, const ReceivedFrame& frame);
  void serve_line(Duration now);
  void answer_from_line(const OnLine& request, Duration begin);
  void send(Outgoing outgoing);
  [[nodiscard]] Duration serial_time(const ReceivedFrame& frame, std::size_t reply_bytes);
  void restarts(Duration now);
  [[nodiscard]] bool concerns(const Fault& fault) const;

  const model::ResolvedPlan& plan_;
  std::string host_;
  std::int64_t port_;
  Field& field_;
  const FaultScript& faults_;
  Responder responder_;
  StationOptions options_;
  std::optional<model::GatewayIndex> gateway_;
  std::optional<model::ConnectionIndex> connection_;  // of the plan, the first that leads here
  std::optional<model::LineIndex> line_;              // behind the gateway
  modbus::Framing framing_ = modbus::Framing::tcp;
  std::optional<std::int64_t> most_sessions_;
  std::vector<std::string> allowed_;  // addresses; anybody if empty
  Duration idle_{};
  std::map<std::uint64_t, Session> sessions_;
  std::vector<Outgoing> outgoing_;
  std::deque<OnLine> arrivals_;
  Duration line_free_{};
  Duration restarted_until_{-1};  // faults up to here have been carried out
  DelaySource delays_;
  std::uint64_t heard_ = 0;
  std::uint64_t junk_ = 0;
};

// Everything that answers in a plan, or these of it (all if there are none): lines with a master,
// hosts and ports of slaves, gateways and controllers that answer.
struct StationPlaces {
  std::vector<model::LineIndex> lines;
  std::vector<std::pair<std::string, std::int64_t>> hosts;
};
[[nodiscard]] StationPlaces station_places(const model::ResolvedPlan& plan,
                                           const std::set<model::Target>& present = {});

}  // namespace greymet::engine
