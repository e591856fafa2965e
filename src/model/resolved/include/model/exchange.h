// The effective exchange: what will happen on the wire and in memory.
//
// Made once from the resolved plan. Every default of the plan format is applied here and nowhere
// else, and only whole transactions are in it, so that timing, frames, packing, exports and
// whatever carries the exchange out give one answer. Rules that speak about the words of the plan,
// and about what is missing from it, use model/resolved_plan.h.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "model/facts.h"
#include "model/framing.h"
#include "model/function_code.h"
#include "model/index.h"
#include "model/memory_range.h"
#include "model/network.h"
#include "model/strong.h"
#include "model/transaction.h"

namespace greymet::model {

struct ResolvedPlan;

// Who answers: a field slave, or a controller through one of its answers.
struct Target {
  bool is_peer = false;
  std::size_t index = 0;   // into Plan::slaves, or Plan::controllers
  std::size_t answer = 0;  // into Controller::answers, for a peer
  friend auto operator<=>(const Target&, const Target&) = default;
};

// Registers or bits [offset, offset + quantity) of the target. The end may lie past 65536: a rule
// says so.
struct DeviceBlock {
  Area area = Area::holding_register;
  std::uint32_t offset = 0;
  std::uint32_t quantity = 0;
  Notation notation = Notation::plain;
  std::int64_t written = 0;
  bool hex = false;
  Range at_place;
  Range count_place;

  [[nodiscard]] Extent extent() const { return {offset, offset + quantity}; }
};

// When a transaction runs.
enum class TriggerKind : std::uint8_t {
  cyclic,
  continuous,
  on_bit,
  on_change,
  on_start,
  on_return
};
// "cyclic", "bit", "return": as exports write it.
[[nodiscard]] std::string_view to_string(TriggerKind kind);

// When a transaction runs, with its numbers.
struct Trigger {
  TriggerKind kind = TriggerKind::cyclic;
  Duration period{};  // cyclic: the period; on bit or change: the smallest gap
  Duration phase{};
  std::optional<MemoryRange> bit;
  Range place;
};

// What a status bit or word tells.
enum class StatusKind : std::uint8_t { busy, done, failed, exception };
// "busy", "done", "failed", "exception"
[[nodiscard]] std::string_view to_string(StatusKind kind);

// Where the transaction reports: each a bit, the exception code a word.
struct Status {
  StatusKind kind = StatusKind::busy;
  MemoryRange range;
  Range place;
};

// A serial line as it will run. Settings that the plan leaves out have no default.
struct ExchangeLine {
  std::string name;
  std::optional<ControllerIndex> master;
  std::optional<GatewayIndex> via;
  std::optional<std::string> port;
  Medium medium = Medium::rs485;
  std::optional<SerialMode> mode;
  std::optional<std::int64_t> baud;
  std::optional<CharacterFormat> format;
  Duration timeout{};
  std::int64_t retries = 0;
  Duration pause{};
  Duration turnaround{};
  TimeoutTo timeout_to = TimeoutTo::last;
  Delay latency;             // of the master's port, added to each request
  double character_gap = 0;  // of the master: longest silence inside a frame, in characters
  Order order = Order::due;
  std::optional<Park> park;
  FactSet assumed;
};

// A gateway as it will run; `timeout` and `retries` are the master's side.
struct ExchangeGateway {
  std::string name;
  std::optional<std::string> host;
  std::int64_t port = 0;
  Duration timeout{};
  std::int64_t retries = 0;
  std::optional<std::int64_t> connections;
  std::int64_t in_flight = 1;
  GatewayFraming framing = GatewayFraming::tcp;
  OnSilence on_silence = OnSilence::nothing;
  Delay delay;
  Delay rtt;
  FactSet assumed;

  // It says exception 0B of a slave that does not answer; else the master waits in vain.
  [[nodiscard]] bool answers_for_silent() const {
    return framing == GatewayFraming::tcp && on_silence == OnSilence::exception;
  }
};

// What who answers takes of one request: what the plan says, within the application protocol
// (V1.1b3, section 6).
struct Accepts {
  std::optional<std::vector<std::int64_t>> functions;  // nothing: all it knows
  std::int64_t most_read = 125;                        // registers, bits: of one request
  std::int64_t most_write = 123;
  std::int64_t most_read_bits = 2000;
  std::int64_t most_write_bits = 1968;

  [[nodiscard]] bool implements(std::int64_t function) const;
  // Registers or bits of one request, at least 1. A function may carry less.
  [[nodiscard]] std::int64_t most(Area area, bool is_read) const;
};

// A field slave as it will answer.
struct ExchangeSlave {
  std::string name;
  std::optional<LineIndex> line;
  std::optional<std::string> host;
  std::int64_t port = 0;  // from here to `in_flight` on TCP alone
  Duration timeout{};
  std::int64_t retries = 0;
  Duration connect_timeout{};
  Duration retransmission{};  // 0: a lost frame costs its timeout
  Delay rtt;
  Connect connect = Connect::keep;
  bool routed = false;
  std::int64_t in_flight = 1;
  std::optional<Unit> unit;  // nothing where a line's slave has none
  Delay reply;               // with the time until it looks at its port
  double character_gap = 0;  // longest silence inside a frame, in characters; on a line
  Duration pause{};
  double unit_load = 1;
  Numbering numbering = Numbering::from_0;
  MapCovers map_covers = MapCovers::some;
  Holes holes = Holes::unknown;
  WatchdogBy watchdog_by = WatchdogBy::any;
  Accepts accepts;
  FactSet assumed;

  // The map can be trusted to say where values begin and end.
  [[nodiscard]] bool map_is_complete() const {
    return map_covers == MapCovers::all || holes == Holes::refuse;
  }
};

// One way in which a controller answers.
struct ExchangeAnswer {
  std::optional<LineIndex> line;  // else on TCP
  bool on_line = false;           // `line` was named, even where there is no such line
  std::int64_t port = 0;          // on TCP alone, like timeout, retries and rtt
  Duration timeout{};
  std::int64_t retries = 0;
  Delay rtt;
  std::optional<Unit> unit;  // nothing where an answer on a line has none
  std::optional<std::int64_t> connections;
  FactSet assumed;
};

// A controller as it will run.
struct ExchangeController {
  std::string name;
  Duration scan{};
  Sends sends = Sends::anytime;
  Duration jitter{};  // what may come on top of each request
  bool router = false;
  bool aligns32 = false;  // 32-bit values only at even words
  std::optional<std::int64_t> in_flight;
  std::vector<ExchangeAnswer> answers;

  // Requests start at multiples of this; 0 where they start at any time.
  [[nodiscard]] Duration request_grid() const { return sends == Sends::scan ? scan : Duration{}; }
};

// A TCP connection: one per controller and host:port.
struct Connection {
  ControllerIndex controller;
  std::string host;
  std::int64_t port = 0;
  std::string name;  // after the first slave or gateway of that host:port
  std::optional<GatewayIndex> gateway;
  Range place;
};

// How a request reaches who answers it, and how long everybody waits. Behind a gateway both a line
// and a connection.
struct Endpoint {
  std::optional<LineIndex> line;
  std::optional<ConnectionIndex> connection;
  std::optional<GatewayIndex> gateway;
  std::string host;       // on TCP: of the slave, peer or gateway
  std::int64_t port = 0;  // on TCP
  std::optional<Unit> unit;
  Framing framing = Framing::tcp;  // of the frames the master sends
  bool translated = false;         // by a gateway, which tries by itself
  bool answered_for = false;       // and says so where a slave does not answer
  bool broadcast = false;          // nobody answers
  Duration timeout{};              // the master's, on its own line or connection
  std::int64_t retries = 0;
  Delay reply;               // of who answers: end of request to start of reply
  double character_gap = 0;  // of who answers, in characters
  Duration pause{};          // of who answers
  Delay rtt;
  Delay delay;    // of the gateway
  Delay connect;  // what opening a connection for each request adds
  Duration connect_timeout{};
  Duration retransmission{};   // of a slave on TCP; 0: a lost frame costs its timeout
  std::int64_t in_flight = 1;  // that this slave or gateway takes on one connection
  std::optional<Park> park;    // of the line
  FactSet assumed;             // of who answers and of the way there
};

// What a write always sends in some of its registers or bits.
struct SentConstant {
  std::uint32_t first = 0;  // register or bit of the block
  std::uint32_t count = 1;
  DataType type;
  std::optional<std::uint32_t> bit;  // of one register
  double factor = 1;                 // engineering value = raw x factor + offset
  double offset = 0;
  std::optional<double> min;
  std::optional<double> max;
  WordOrder order = WordOrder::abcd;  // at its receiver
  std::string point;                  // of its receiver's map; empty for plain registers
  std::string text;                   // the value, as it is written
  Range place;
};

// One transaction that lacks nothing to be sent. Memory may be missing where it had no place.
struct ExchangeTransaction {
  std::size_t transaction = 0;  // into ResolvedPlan::transactions
  std::string name;
  ControllerIndex controller;
  Target target;
  Endpoint endpoint;
  FunctionCode function = FunctionCode::read_holding_registers;
  std::optional<DeviceBlock> read;
  std::optional<DeviceBlock> write;
  std::optional<MemoryRange> into;
  std::optional<MemoryRange> from;
  Trigger trigger;
  std::optional<MemoryRange> gate;  // `only_if`
  std::vector<Status> status;
  std::optional<OnLoss> on_loss;
  std::optional<Packing> packing;
  bool relays = false;
  std::optional<WordOrder> read_swap;   // the order of values in memory, whatever it was before
  std::optional<WordOrder> write_swap;  // the order in which they are sent
  std::vector<SentConstant> constants;  // stand in the memory that is sent, from the start on

  [[nodiscard]] Quantity quantity_read() const { return {read ? read->quantity : 0}; }
  [[nodiscard]] Quantity quantity_written() const { return {write ? write->quantity : 0}; }
};

// A heartbeat with its numbers; controllers and bit are missing where they could not be found.
struct ExchangeHeartbeat {
  std::string name;
  std::optional<ControllerIndex> from;
  std::optional<ControllerIndex> to;
  std::optional<MemoryRange> bit;   // of `from`
  std::optional<MemoryRange> seen;  // of `to`: where it looks; nothing where the plan does not say
  Duration toggle{};
  Duration watch{};
  Duration react{};
  std::int64_t lost = 0;
  std::optional<OnLoss> on_loss;
};

// Parallel to the lists of the plan, but for `transactions`, which holds the whole ones in list
// order.
struct Exchange {
  Indexed<ExchangeController, ControllerIndex> controllers;
  Indexed<ExchangeLine, LineIndex> lines;
  Indexed<ExchangeGateway, GatewayIndex> gateways;
  Indexed<ExchangeSlave, SlaveIndex> slaves;
  Indexed<Connection, ConnectionIndex> connections;
  std::vector<ExchangeTransaction> transactions;
  std::vector<ExchangeHeartbeat> heartbeats;
  Ledger ledger;  // what all of this rests on

  // The whole transaction of that index into ResolvedPlan::transactions, or null.
  [[nodiscard]] const ExchangeTransaction* find(std::size_t transaction) const;
};

// The network with its defaults: all of an exchange but its transactions and connections. What is
// in `instead` takes the place of what is stated or left out.
[[nodiscard]] Exchange effective_network(const ResolvedPlan& resolved,
                                         const Overrides& instead = {});
// The whole exchange of a resolved plan with other facts.
[[nodiscard]] Exchange with_facts(const ResolvedPlan& resolved, const Overrides& instead);
// The way of a transaction to its target over `line`, or over `connection`, or both.
[[nodiscard]] Endpoint effective_endpoint(const Exchange& exchange, const Target& target,
                                          std::optional<LineIndex> line,
                                          std::optional<ConnectionIndex> connection);
// Where a constant stands in the memory that is sent, and the order of its words there; nothing
// where the transaction names no memory.
[[nodiscard]] std::optional<BitRange> memory_of(const ResolvedPlan& resolved,
                                                const ExchangeTransaction& t,
                                                const SentConstant& constant);
[[nodiscard]] WordOrder order_in_memory(const ResolvedPlan& resolved, const ExchangeTransaction& t,
                                        const SentConstant& constant);
// How some registers or bits of a slave are written: one alone by its own function, where the slave
// has it. Nothing for areas that can only be read.
[[nodiscard]] std::optional<FunctionCode> writing_function_of(const ExchangeSlave& slave, Area area,
                                                              std::uint32_t count);
// The way to a slave over its own line or host, whoever asks.
[[nodiscard]] Endpoint endpoint_of_slave(const ResolvedPlan& resolved, std::size_t slave);
// Adds the whole transactions of the plan, and its heartbeats.
void add_transactions_and_heartbeats(const ResolvedPlan& resolved, Exchange& exchange);

}  // namespace greymet::model
