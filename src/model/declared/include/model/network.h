// Lines, gateways and slaves as the plan declares them, and the defaults of what it leaves out.
#pragma once

#include <chrono>
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "model/address.h"
#include "model/data_type.h"
#include "model/range.h"
#include "model/serial_settings.h"
#include "model/strong.h"

namespace greymet::model {

// Who goes next when several transactions wait.
enum class Order : std::uint8_t { due, list };
// What a gateway makes of a request: a new frame (tcp), or the RTU frame unchanged (rtu).
enum class GatewayFraming : std::uint8_t { tcp, rtu };
// What a translating gateway says of a slave that does not answer: nothing, or exception 0B.
enum class OnSilence : std::uint8_t { nothing, exception };
// What a slave does with registers that its map does not list.
enum class Holes : std::uint8_t { refuse, zero, unknown };
// Whether a map lists every register of the slave.
enum class MapCovers : std::uint8_t { all, some };
// What feeds the watchdog of a slave.
enum class WatchdogBy : std::uint8_t { any, writes };
// When requests may start: at a boundary of the program's scan, or at once.
enum class Sends : std::uint8_t { anytime, scan };
// Whether a connection is kept, or opened for each request.
enum class Connect : std::uint8_t { keep, each };

// A delay that is usually `typical` and never more than `max`.
struct Delay {
  Duration typical{};
  Duration max{};
  Duration min{};  // of a reply; 0 elsewhere
};

// Which byte of the reply ends a timeout.
enum class TimeoutTo : std::uint8_t { first, last };

// Defaults of the plan format; docs/plan-format.md gives the same table.
namespace defaults {
using std::chrono::milliseconds;
inline constexpr Duration serial_timeout = milliseconds(500);
inline constexpr std::int64_t serial_retries = 1;
inline constexpr Duration tcp_timeout = milliseconds(1000);
inline constexpr std::int64_t tcp_retries = 0;
inline constexpr std::int64_t tcp_port = 502;
inline constexpr std::int64_t tcp_unit = 255;
inline constexpr Delay rtt{milliseconds(1), milliseconds(5)};
inline constexpr Delay gateway_delay{milliseconds(2), milliseconds(10)};
inline constexpr Delay slave_reply{milliseconds(10), milliseconds(50)};
inline constexpr Duration turnaround = milliseconds(100);
inline constexpr double unit_load = 1.0;
inline constexpr std::int64_t in_flight = 1;
}  // namespace defaults

// After `after` failed requests in a row a slave is only tried every `retry`.
struct Park {
  std::int64_t after = 0;
  Duration retry{};
};

// A serial line, with a controller as master or behind a gateway.
struct Line {
  std::string name;
  Range place;
  Declared<std::string> master;
  Declared<std::string> via;
  Declared<std::string> port;
  Declared<Medium> medium;
  SerialSettings settings;
  Declared<Duration> timeout;
  Declared<std::int64_t> retries;
  Declared<Duration> pause;
  Declared<Duration> turnaround;
  Declared<TimeoutTo> timeout_to;
  Declared<Delay> latency;         // of the port: adapter, operating system, task cycle
  Declared<double> character_gap;  // of the master, in characters
  Declared<Order> order;
  Declared<Park> park;
  Declared<double> length_m;  // of its trunk, end to end
  Declared<double> stub_m;    // the longest branch off it
  RefusedKeys refused;
};

// A box between TCP and one serial line.
struct Gateway {
  std::string name;
  Range place;
  Declared<std::string> host;
  Declared<std::int64_t> port;
  Declared<Duration> timeout;
  Declared<std::int64_t> retries;
  Declared<std::int64_t> connections;
  Declared<std::int64_t> in_flight;
  Declared<GatewayFraming> framing;
  Declared<OnSilence> on_silence;
  Declared<Delay> delay;
  Declared<Delay> rtt;
  RefusedKeys refused;
};

// A field slave, on a line or at a host.
struct Slave {
  std::string name;
  Range place;
  Declared<std::string> line;
  Declared<std::int64_t> unit;
  Declared<std::string> map_file;
  std::optional<std::size_t> map;  // index into Plan::maps
  Declared<Numbering> numbering;
  Declared<WordOrder> word_order;
  Declared<Delay> reply;
  Declared<Duration> scans;        // it looks at its port once in this time
  Declared<double> character_gap;  // silence inside its frames, in characters
  SerialSettings settings;         // as read off the slave itself
  Declared<std::vector<Located<std::int64_t>>> functions;
  Declared<std::int64_t> max_read;
  Declared<std::int64_t> max_write;
  Declared<std::int64_t> max_read_bits;
  Declared<std::int64_t> max_write_bits;
  Declared<MapCovers> map_covers;
  Declared<Holes> holes;
  Declared<Duration> watchdog;
  Declared<WatchdogBy> watchdog_by;
  Declared<double> unit_load;
  Declared<Duration> pause;
  // TCP alone
  Declared<std::string> host;
  Declared<std::int64_t> port;
  Declared<Duration> timeout;
  Declared<std::int64_t> retries;
  Declared<Duration> connect_timeout;
  Declared<Duration> retransmission;  // TCP sends a lost segment again after this, doubling
  Declared<bool> routed;
  Declared<Delay> rtt;
  Declared<std::int64_t> connections;
  Declared<Duration> idle;
  Declared<Connect> connect;
  Declared<std::int64_t> in_flight;
  Declared<std::vector<Located<std::string>>> assumed;  // keys that are stated, never confirmed
  RefusedKeys refused;
};

}  // namespace greymet::model
