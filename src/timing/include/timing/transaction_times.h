// How long one transaction takes, in every outcome.
//
// docs/timing-model.md gives the table; the terms are
//   serial line   latency + T_req + max(reply, t3.5) + T_rep + gap, gap = max(t3.5, pauses)
//   direct TCP    rtt + reply + the slave's pause (+ rtt if it connects for each request)
//   gateway       rtt + delay + the serial time; the line is busy for the serial part only
#pragma once

#include <algorithm>
#include <cstdint>
#include <optional>

#include "model/exchange.h"
#include "model/strong.h"
#include "timing/character.h"

namespace greymet::timing {

// The parts of a transaction on a serial line.
struct SerialParts {
  Duration request{};
  Duration turnaround_shortest{};  // end of request to start of reply, at least t3.5
  Duration turnaround_typical{};
  Duration turnaround_longest{};
  Duration reply{};
  Duration exception_reply{};
  Duration gap{};
  Duration latency_typical{};  // of the master's port; the shortest is 0
  Duration latency_longest{};
  Duration request_silence{};  // inside frames, at most
  Duration reply_silence{};
  Duration exception_silence{};
  [[nodiscard]] Duration shortest() const { return request + turnaround_shortest + reply + gap; }
  [[nodiscard]] Duration typical() const {
    return latency_typical + request + turnaround_typical + reply + gap;
  }
  [[nodiscard]] Duration longest() const {
    return request_longest() + turnaround_longest + reply_longest() + gap;
  }
  [[nodiscard]] Duration exception_longest() const {
    return request_longest() + turnaround_longest + exception_reply + exception_silence + gap;
  }
  // From the decision to send to the last character.
  [[nodiscard]] Duration request_longest() const {
    return latency_longest + request + request_silence;
  }
  [[nodiscard]] Duration reply_longest() const { return reply + reply_silence; }
};

// The parts of a transaction on TCP, to the slave or to the gateway.
struct NetworkParts {
  Duration out_typical{};  // half the round trip, and the gateway's delay
  Duration out_longest{};
  // parts of `out`: opening the connection, where that is done each time, and what the master may
  // be late
  Duration connect_longest{};
  Duration jitter{};
  Duration back_typical{};  // the other half
  Duration back_longest{};
  Duration slave_typical{};  // reply delay and pause of a slave on TCP; 0 behind a gateway
  Duration slave_longest{};
  Duration pause{};  // part of the slave's
};

// Who waits for a slave that does not answer, where that is not who waits for its reply: the master
// of a gateway that tries by itself and says nothing of it.
struct SilentGateway {
  Duration timeout{};  // the master's
  std::int64_t retries = 0;
  Duration on_line{};    // the gateway's own tries, for one request
  Duration own_tries{};  // the same with the way there and back
};

// Times of one transaction. `shortest` has no delay of the network and the least of the slave.
struct TransactionTimes {
  std::uint32_t request_bytes = 0;  // characters in ASCII; as the master sends it
  std::uint32_t reply_bytes = 0;    // 0 for a broadcast
  std::optional<SerialParts> serial;
  std::optional<NetworkParts> network;
  Duration shortest{};
  Duration typical{};
  Duration longest{};
  Duration exception_longest{};
  Duration failed_attempt{};       // one try that gets no reply, as the master sees it
  std::optional<Duration> silent;  // all tries to a silent slave; none for a broadcast
  Duration timeout{};              // of the line where there is one, else of the connection
  std::int64_t retries = 0;
  Duration host_off{};        // on TCP: what connecting to a host takes that is off; else 0
  Duration retransmission{};  // on TCP: a lost segment comes again after this; 0: not stated
  bool broadcast = false;
  bool timeout_of_master = false;  // behind a transparent gateway: `timeout` is the master's
  std::optional<SilentGateway> silent_gateway;
  bool timeout_to_first = false;  // the timeout ends with the first byte of the reply
  model::FactSet assumed;         // what the plan leaves out, and durations rest on

  [[nodiscard]] Duration serial_longest() const { return serial ? serial->longest() : Duration{}; }
};

// What a transaction takes that gets no reply: before + tries x each + after. A translating gateway
// tries by itself, so the way to it and back is gone once; behind a transparent one the line is
// taken for as long as the master waits, behind one that says nothing at least for its own tries.
struct FailureTimes {
  Duration before{};
  Duration each{};
  Duration after{};
  std::int64_t tries = 1;
  Duration host_off{};   // on TCP: if that is longer, a host that is off costs this
  Duration timeout{};    // part of `each`: of who waits for a slave that does not answer
  Duration own_tries{};  // `each` is no shorter, whatever the timeout
  // Of a slave that does not answer, for whatever reason.
  [[nodiscard]] Duration silent() const {
    return std::max(host_off, before + after + tries * each);
  }
  [[nodiscard]] Duration one_try() const { return before + each + after; }
};
[[nodiscard]] FailureTimes failure_times(const TransactionTimes& times);

// From the end of the request to the byte of the longest reply that ends the timeout, as whoever
// keeps it sees it: behind a translating gateway that is its serial line.
[[nodiscard]] Duration longest_reply(const TransactionTimes& times);
// The least timeout of who waits for a silent slave under which it does not give up too early: the
// longest reply, or the tries of a gateway that says nothing (without what other masters of its
// line add).
[[nodiscard]] Duration least_wait(const TransactionTimes& times);

// The line's characters, or nothing while its mode, baud or format is missing.
[[nodiscard]] std::optional<CharacterTiming> character_timing(const model::ExchangeLine& line);

// Times of a transaction of this exchange, or nothing while its line's mode, baud or format is
// missing.
[[nodiscard]] std::optional<TransactionTimes> transaction_times(
    const model::Exchange& exchange, const model::ExchangeTransaction& t);

}  // namespace greymet::timing
