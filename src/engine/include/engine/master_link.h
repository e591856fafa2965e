// One line or connection of a master: its requests from their turns to their ends, what comes for
// them, and the connection.
//
// Who may start when several links share the controller's places is the master's to say; the rest
// of a request's life is here. No clock and no sockets. One thread.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <vector>

#include "engine/agenda.h"
#include "engine/frame_receiver.h"
#include "engine/late_answers.h"
#include "engine/master_options.h"
#include "engine/planned_job.h"
#include "engine/request_under_way.h"

namespace greymet::engine {

// Requests over networks of one controller that may be under way at the same time.
class Places {
 public:
  Places(std::optional<std::int64_t> limit, Duration scan) : limit_(limit), scan_(scan) {}
  [[nodiscard]] bool limited() const { return limit_.has_value(); }
  void take() { ++taken_; }
  void give_back(Duration now) {
    --taken_;
    free_since_ = now;
  }
  // When the next request may start: never while all are taken.
  [[nodiscard]] Duration open_at() const {
    if (limit_ && taken_ >= *limit_) return never;
    return limit_ ? round_up(free_since_, scan_) : Duration{};
  }

 private:
  std::optional<std::int64_t> limit_;
  Duration scan_;
  std::int64_t taken_ = 0;
  Duration free_since_{};
};

// What all lines and connections of one master share.
struct MasterContext {
  // What was read, to be seen by the program at a boundary of its scan.
  struct Delivery {
    const PlannedJob* job = nullptr;
    modbus::Reply reply;
  };

  ControllerMemory& memory;
  MasterOptions options;
  Duration scan{};  // requests start on this grid; 0: at any time
  Places places;
  bool stopped = false;  // nothing new starts, nothing is tried again
  std::multimap<Duration, Delivery> deliveries;
  std::vector<RequestRecord> records;
  std::vector<MasterAction> actions;
};

class MasterLink {
 public:
  // Keeps references to all of them. `index`: into TimingModel::queues.
  MasterLink(const model::ResolvedPlan& plan, const timing::Queue& queue, std::size_t index,
             MasterContext& context);

  // What happened at `now`, in the order of time.
  void receive(Duration now, modbus::ByteView bytes);
  void connected(Duration now);
  void refused(Duration now, Cause cause);  // refused, or unreachable
  void closed(Duration now);
  void trigger(std::size_t job, Duration now) { agenda_.trigger(job, now); }

  // Everything that is due by `now`, in the order of time; starts nothing new.
  void act(Duration now);
  // Since when the next request waits, where it may start by `now` as far as the link is
  // concerned. `continuous`: one of those that run when nothing waits; they wait since 0.
  [[nodiscard]] std::optional<Duration> ready_since(bool continuous, Duration now) const;
  void start_next(bool continuous, Duration now);
  // When the link is to be looked at again if nothing happens before; never for never.
  [[nodiscard]] Duration next_wake(Duration now) const;
  // What is under way ends here, unfinished.
  void abandon(Duration now);

  // On TCP: its connection stands, as far as is known.
  [[nodiscard]] bool is_connected() const { return connection_ == Connection::open; }
  [[nodiscard]] std::size_t index() const { return index_; }
  [[nodiscard]] const timing::Queue& queue() const { return *queue_; }
  [[nodiscard]] const std::vector<PlannedJob>& jobs() const { return jobs_; }
  [[nodiscard]] const OddityCounts& oddities() const { return oddities_; }
  [[nodiscard]] const Agenda& agenda() const { return agenda_; }
  [[nodiscard]] std::size_t under_way() const { return under_way_.size(); }
  // Its requests take places.
  [[nodiscard]] bool takes_places() const {
    return context_->places.limited() && queue_->kind != timing::QueueKind::serial;
  }

 private:
  enum class Connection : std::uint8_t { closed, opening, open };

  [[nodiscard]] bool on_line() const { return queue_->kind == timing::QueueKind::serial; }
  [[nodiscard]] const timing::TransactionTimes& times_of(const RequestUnderWay& request) const {
    return queue_->jobs[request.job].times;
  }
  [[nodiscard]] const model::Endpoint& endpoint_of(const RequestUnderWay& request) const {
    return jobs_[request.job].transaction->endpoint;
  }
  [[nodiscard]] bool is_left_out(const PlannedJob& job) const;
  [[nodiscard]] std::optional<Duration> startable_at(bool continuous, Duration now) const;
  [[nodiscard]] Duration next_due() const;

  void catch_up(Duration now);
  void handle(Duration now, const Received& received);
  void handle_frame(const ReceivedFrame& frame);
  void accept(RequestUnderWay& request, const ReceivedFrame& frame, const Answer& answer);
  [[nodiscard]] bool is_echo(const RequestUnderWay& request, const ReceivedFrame& frame) const;
  [[nodiscard]] bool is_too_early(const RequestUnderWay& request, const ReceivedFrame& frame) const;
  [[nodiscard]] bool was_damaged_answer(const RequestUnderWay& request) const;

  void start(const Agenda::Turn& turn, Duration now);
  void connect_or_send(RequestUnderWay& request, Duration now);
  void send(RequestUnderWay& request, Duration now);
  void hang_up(const RequestUnderWay& request);
  void admit(Duration release);
  void go_on(std::size_t at);
  void pass_deadline(RequestUnderWay& request);
  void take_rest(RequestUnderWay& request);
  void give_up_try(RequestUnderWay& request, Duration now);
  void fail_try(RequestUnderWay& request, Duration ready);
  void complete(std::size_t at, Duration end);
  void record(const RequestUnderWay& request, Duration end);

  std::size_t index_;
  const timing::Queue* queue_;
  MasterContext* context_;
  std::vector<PlannedJob> jobs_;
  Agenda agenda_;
  FrameReceiver receiver_;
  LateAnswers late_;
  std::vector<RequestUnderWay> under_way_;
  OddityCounts oddities_;
  std::uint64_t started_ = 0;  // requests so far
  Connection connection_ = Connection::closed;
  bool connects_each_ = false;  // a connection for each request
  bool echoes_ = false;         // the line has shown to repeat what is sent
  Duration back_off_{};
  Cause connection_cause_ = Cause::refused;  // of the last one that failed
  Duration not_before_{};                    // no connection is tried earlier
  Duration free_since_{};
  std::uint16_t next_number_;
};

}  // namespace greymet::engine
