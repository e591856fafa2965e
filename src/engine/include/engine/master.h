// The master side of one controller: what it sends when, and what it makes of what comes back.
//
// No clock and no sockets: a driver tells what arrives and when, calls act() at next_wake() and
// whenever it has told something, and carries out the actions. Instants count from the start of
// the run. The same code runs against virtual wires and against real ones. One thread.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "engine/agenda.h"
#include "engine/controller_memory.h"
#include "engine/frame_receiver.h"
#include "engine/late_answers.h"
#include "engine/reply_check.h"
#include "model/resolved_plan.h"

namespace greymet::engine {

// How a request ended. Those that were sent are good, exception, timeout, bad or unfinished.
enum class Outcome : std::uint8_t {
  good,
  exception,
  timeout,
  bad,
  left_out,
  dropped,
  unfinished,  // under way when everything ended
};
// "good", "exception", "timeout", "bad", "left-out", "dropped", "unfinished"
[[nodiscard]] std::string_view to_string(Outcome outcome);

// One finished request, as the log keeps it.
struct RequestRecord {
  std::size_t transaction = 0;  // into ResolvedPlan::transactions
  std::size_t link = 0;         // into TimingModel::queues
  std::size_t job = 0;
  Duration release{};
  Duration start{};    // its turn came
  Duration replied{};  // last byte of the answer; the end where there was none
  // The words were looked up by the slave no earlier than this: the reply where only one try can
  // have been answered, else the first that can.
  Duration as_of{};
  Duration end{};  // the line or connection is free for the next one
  std::int64_t tries = 0;
  Outcome outcome = Outcome::good;
  std::uint8_t exception = 0;
  bool broadcast = false;
  std::vector<std::uint16_t> words;  // read, else written; bits in the lowest positions
};

// What the driver is to do, in this order.
struct MasterAction {
  enum class Kind : std::uint8_t { connect, send, close };
  Kind kind = Kind::send;
  std::size_t link = 0;  // into TimingModel::queues
  std::size_t job = 0;   // for whom
  modbus::Bytes bytes;
  Duration turn{};  // when that request's turn came, whatever the try
};

// What a master may do, and how patient it is. The defaults are those of a rehearsal.
struct MasterOptions {
  bool allow_writes = true;  // else transactions that write, function 23 included, are left out
  bool allow_broadcasts = true;
  bool only_known_values = false;  // a write is left out until every word it sends is known
  bool triggers_always = false;    // as if every trigger came as often as `min_gap` allows
  bool ignore_gates = false;       // as if every `only_if` bit were set
  // A serial line takes its time: what arrives before a request can have been sent is an echo.
  bool lines_take_time = true;
  Duration silence = std::chrono::milliseconds(20);  // see FrameReceiver
  Duration late_answers = std::chrono::seconds(2);   // the horizon of LateAnswers
  // TCP: the first transaction number of each connection of the plan.
  std::uint16_t first_number = 1;
  Duration first_back_off = std::chrono::milliseconds(100);  // of a connection that was refused
  Duration most_back_off = std::chrono::seconds(5);
};

// One controller with all its lines and connections.
class Master {
 public:
  // Keeps references to all of them.
  Master(const model::ResolvedPlan& plan, const timing::TimingModel& timing,
         model::ControllerIndex controller, ControllerMemory& memory, const MasterOptions& options);

  // What happened at `now`, in the order of time. None of these starts anything: act() does.
  void receive(Duration now, std::size_t link, modbus::ByteView bytes);
  void connected(Duration now, std::size_t link);
  void refused(Duration now, std::size_t link);  // or not answered
  void closed(Duration now, std::size_t link);

  // Everything that is due by `now`, then what can be started.
  void act(Duration now, std::vector<MasterAction>& actions);
  // When act() must be called again if nothing happens before; never for never.
  [[nodiscard]] Duration next_wake(Duration now) const;

  // What has finished since the last call.
  [[nodiscard]] std::vector<RequestRecord> take_records();
  [[nodiscard]] const std::string& name_of(std::size_t link) const {
    return link_of(link).queue->name;
  }
  // Bytes on that line or connection that were no answer, and were survived.
  [[nodiscard]] const OddityCounts& oddities(std::size_t link) const {
    return link_of(link).oddities;
  }
  // Releases of a job that came while the previous one waited or ran.
  [[nodiscard]] std::uint64_t missed(std::size_t link, std::size_t job) const;
  // Lines and connections of this controller, as indices into TimingModel::queues.
  [[nodiscard]] std::vector<std::size_t> links() const;
  [[nodiscard]] model::ControllerIndex controller() const { return controller_; }
  // Requests that have been sent and not finished.
  [[nodiscard]] std::size_t under_way() const;
  // From now on nothing new starts, and nothing is tried again.
  void stop() { stopped_ = true; }
  // What is under way ends here, unfinished.
  void abandon(Duration now);

 private:
  // Words of one value that change their order on the way.
  struct Reordering {
    std::size_t first = 0;
    std::size_t count = 0;
    model::WordOrder from = model::WordOrder::abcd;
    model::WordOrder to = model::WordOrder::abcd;
  };
  // One job, everything looked up.
  struct Planned {
    const model::ExchangeTransaction* transaction = nullptr;
    modbus::Request request;  // its data all 0
    std::optional<BitSequence> into;
    std::optional<BitSequence> from;
    std::optional<BitSequence> gate;
    std::vector<Reordering> read_order;
    std::vector<Reordering> write_order;
    // triggers: what was seen last
    bool bit_was_set = false;
    std::optional<std::vector<std::uint16_t>> last_words;
  };
  enum class Stage : std::uint8_t { connecting, waiting, cooling };
  struct UnderWay {
    std::uint64_t number = 0;  // of its own among all of the link
    std::size_t job = 0;
    Duration release{};
    Duration start{};
    Asked asked;
    std::int64_t tries = 0;
    std::int64_t most_tries = 1;
    Stage stage = Stage::waiting;
    Duration first_sent{};
    Duration sent{};
    Duration deadline{};  // connecting, waiting
    Duration timeout{};   // waiting: the deadline as long as nothing came
    Duration ready{};     // cooling: then again, or the end
    bool again = false;
    bool odd = false;        // something came that was no answer
    bool ambiguous = false;  // something that may have been one
    bool echo_seen = false;  // in this try
    std::size_t junk = 0;    // bytes in this try that were no frame
    Outcome outcome = Outcome::timeout;
    std::uint8_t exception = 0;
    Duration replied{};
    std::vector<std::uint16_t> words;
    std::optional<modbus::Reply> reply;
  };
  enum class Connection : std::uint8_t { closed, opening, open };
  struct Link {
    std::size_t index = 0;
    const timing::Queue* queue = nullptr;
    Agenda agenda;
    FrameReceiver receiver;
    std::vector<Planned> jobs;
    LateAnswers late;
    std::vector<UnderWay> under_way;
    OddityCounts oddities;
    std::uint64_t started = 0;  // requests so far
    Connection connection = Connection::closed;
    Duration back_off{};
    Duration not_before{};  // no connection is tried earlier
    Duration free_since{};
    std::uint16_t next_number = 1;
    bool echoes = false;
    bool each = false;  // a connection for each request
  };
  struct Delivery {
    Duration at{};
    std::size_t link = 0;
    std::size_t job = 0;
    modbus::Reply reply;
  };

  Planned plan_job(const timing::Job& job) const;
  [[nodiscard]] bool is_left_out(const Planned& planned) const;
  void add_link(std::size_t index);
  Link& link_of(std::size_t index);
  [[nodiscard]] const Link& link_of(std::size_t index) const;

  void handle(Link& link, Duration now, const Received& received);
  void handle_frame(Link& link, const ReceivedFrame& frame);
  void accept(Link& link, UnderWay& request, const ReceivedFrame& frame, const Answer& answer);
  [[nodiscard]] bool is_echo(const Link& link, const UnderWay& request,
                             const ReceivedFrame& frame) const;
  [[nodiscard]] bool is_too_early(const Link& link, const UnderWay& request,
                                  const ReceivedFrame& frame) const;
  [[nodiscard]] static bool was_damaged_answer(const Link& link, const UnderWay& request);

  [[nodiscard]] Duration next_due(const Link& link) const;
  void catch_up(Link& link, Duration now);
  void pass_deadline(Link& link, UnderWay& request);
  void fail_try(Link& link, UnderWay& request, Duration ready);
  void take_rest(Link& link, UnderWay& request);
  void give_up_try(Link& link, UnderWay& request, Duration now);
  void complete(Link& link, std::size_t at);
  void record(Link& link, const UnderWay& request, Duration end);

  void deliver_due(Duration now);
  void deliver(Planned& planned, const modbus::Reply& reply);
  void react_to_loss(Planned& planned);
  void look_for_triggers(Duration now);
  void watch_triggers(Link& link, std::size_t job, Duration now);

  struct Candidate {
    Link* link = nullptr;
    Duration since{};
  };
  [[nodiscard]] std::optional<Duration> available_at(const Link& link, bool continuous,
                                                     Duration now) const;
  [[nodiscard]] Candidate next_to_start(Duration now, bool continuous);
  void dispatch(Duration now);
  [[nodiscard]] modbus::Request words_to_send(const Planned& planned) const;
  void start(Link& link, const Agenda::Turn& turn, Duration now);
  void send(Link& link, UnderWay& request, Duration now);
  void hang_up(Link& link, const UnderWay& request);
  void connect_or_send(Link& link, UnderWay& request, Duration now);
  [[nodiscard]] bool counts_in_limit(const Link& link) const;

  const model::ResolvedPlan& plan_;
  const timing::TimingModel& timing_;
  model::ControllerIndex controller_;
  ControllerMemory& memory_;
  MasterOptions options_;
  Duration scan_{};  // requests start on this grid; 0: at any time
  std::optional<std::int64_t> limit_;
  std::int64_t under_limit_ = 0;
  Duration place_free_since_{};
  std::vector<Link> links_;
  std::vector<Delivery> deliveries_;
  std::vector<RequestRecord> records_;
  std::vector<MasterAction> actions_;
  std::uint64_t looked_at_revision_ = ~std::uint64_t{0};
  bool stopped_ = false;
};

}  // namespace greymet::engine
