#include "capture/capture_audit.h"

#include <algorithm>
#include <charconv>
#include <set>

#include <fmt/format.h>

#include "capture/packet_file.h"
#include "capture/stream_cutter.h"
#include "engine/frame_receiver.h"

namespace greymet::capture {

namespace {

std::uint16_t port_of(std::string_view text) {
  const std::size_t colon = text.rfind(':');
  if (colon == std::string_view::npos) return 0;
  std::uint16_t port = 0;
  const std::string_view digits = text.substr(colon + 1);
  (void)std::from_chars(digits.data(), digits.data() + digits.size(), port);
  return port;
}

// Ports at which somebody answers: the standard's, the plan's, and what stands for them.
std::set<std::uint16_t> ports_of(const model::ResolvedPlan& plan, const Aliases& aliases) {
  constexpr std::uint16_t standard = 502;
  std::set<std::uint16_t> out{standard};
  for (const model::Connection& each : plan.exchange.connections) {
    out.insert(static_cast<std::uint16_t>(each.port));
  }
  for (const auto& [seen, planned] : aliases) {
    if (const std::uint16_t port = port_of(seen); port != 0) out.insert(port);
  }
  return out;
}

class CaptureReader {
 public:
  CaptureReader(const model::ResolvedPlan& plan, const Aliases& aliases, Auditor& auditor)
      : aliases_(aliases),
        auditor_(auditor),
        ports_(ports_of(plan, aliases)),
        streams_([this](const HostPort& host) { return ports_.count(host.port) != 0; },
                 [this](const StreamPiece& piece) { take(piece); }) {}

  void add(const Packet& packet) {
    ++out_.packets;
    last_ = packet.time;
    PacketKind kind;
    const auto segment = segment_of(packet.link, packet.bytes, kind);
    if (!segment) {
      ++out_.kinds[std::string(kind.what)];
      return;
    }
    if (streams_.add(packet.time, *segment)) return;
    constexpr std::size_t most_others = 200;
    const HostPort& lower = segment->from.port < segment->to.port ? segment->from : segment->to;
    const std::string name = to_text(lower);
    if (out_.other.size() < most_others || out_.other.count(name) != 0) ++out_.other[name];
  }

  CaptureRead finish() {
    streams_.finish(last_);
    out_.streams = streams_.counts();
    return std::move(out_);
  }

 private:
  struct Ways {
    StreamCutter cutter;
    std::string wire;  // texts are made once for each connection
    std::string client;
  };

  // "host:port" as the plan writes it.
  [[nodiscard]] std::string wire_of(const HostPort& server) const {
    if (const auto whole = aliases_.find(to_text(server)); whole != aliases_.end()) {
      return whole->second.find(':') == std::string::npos
                 ? fmt::format("{}:{}", whole->second, server.port)
                 : whole->second;
    }
    const auto host = aliases_.find(address_text(server));
    if (host == aliases_.end()) return to_text(server);
    return fmt::format("{}:{}", host->second, server.port);
  }

  void take(const StreamPiece& piece) {
    if (piece.ends) {
      const auto ways = ways_.find(piece.connection);
      if (ways == ways_.end()) return;
      out_.lost_bytes += ways->second.cutter.lost_bytes();
      if (const auto framing = ways->second.cutter.framing()) {
        out_.framings[ways->second.wire] = *framing;
      }
      if (piece.is_over) auditor_.close(piece.connection);
      ways_.erase(ways);
      return;
    }
    const auto [at, is_new] = ways_.try_emplace(piece.connection);
    Ways& ways = at->second;
    if (is_new) {
      ways.wire = wire_of(piece.server);
      ways.client = address_text(piece.client);
    }
    const auto take_frame = [&](const modbus::Frame& frame, bool is_request, Duration first,
                                Duration last) {
      ++out_.frames;
      const bool has_numbers = ways.cutter.framing() != modbus::Framing::rtu;
      auditor_.add(
          {ways.wire, piece.connection, ways.client, is_request, has_numbers, first, last, frame});
    };
    ways.cutter.add(piece.time, piece.bytes, piece.from_client, piece.after_gap, take_frame);
  }

  const Aliases& aliases_;
  Auditor& auditor_;
  std::set<std::uint16_t> ports_;
  TcpStreams streams_;
  std::map<std::uint64_t, Ways> ways_;
  CaptureRead out_;
  Duration last_{};
};

}  // namespace

tl::expected<CaptureRead, std::string> audit_capture(const std::string& path,
                                                     const model::ResolvedPlan& plan,
                                                     const Aliases& aliases, Auditor& auditor,
                                                     const Progress& progress) {
  auto file = PacketFile::open(path);
  if (!file) return tl::unexpected(file.error());
  CaptureReader reader(plan, aliases, auditor);
  constexpr std::uint64_t between = 4096;
  std::uint64_t count = 0;
  while (const auto packet = file->next()) {
    reader.add(*packet);
    if (progress && ++count % between == 0) progress(file->progress());
  }
  CaptureRead out = reader.finish();
  out.damage = file->damage();
  return out;
}

std::set<std::string> rtu_wires(const CaptureRead& read) {
  std::set<std::string> out;
  for (const auto& [wire, framing] : read.framings) {
    if (framing == modbus::Framing::rtu) out.insert(wire);
  }
  return out;
}

std::vector<std::string> other_framings(const model::ResolvedPlan& plan, const CaptureRead& read) {
  std::vector<std::string> out;
  for (const model::Connection& each : plan.exchange.connections) {
    const std::string wire = fmt::format("{}:{}", each.host, each.port);
    const auto seen = read.framings.find(wire);
    if (seen == read.framings.end()) continue;
    const bool is_rtu =
        each.gateway && plan.exchange.gateways[*each.gateway].framing == model::GatewayFraming::rtu;
    if (is_rtu == (seen->second == modbus::Framing::rtu)) continue;
    std::string text =
        is_rtu ? fmt::format(
                     "at {} frames have an MBAP header; the plan says framing = \"rtu\" of "
                     "gateway '{}': leave that out",
                     wire, plan.exchange.gateways[*each.gateway].name)
        : each.gateway
            ? fmt::format(
                  "at {} RTU frames are spoken, without an MBAP header: write framing = "
                  "\"rtu\" at gateway '{}'",
                  wire, plan.exchange.gateways[*each.gateway].name)
            : fmt::format(
                  "at {} RTU frames are spoken, without an MBAP header: make it a gateway "
                  "with framing = \"rtu\", and its slaves those of a line behind it",
                  wire);
    if (std::find(out.begin(), out.end(), text) == out.end()) out.push_back(std::move(text));
  }
  return out;
}

namespace {

// One row of a log.
struct LogRow {
  Duration time{};
  std::optional<bool> is_request;
  modbus::Bytes bytes;
};

tl::expected<std::optional<LogRow>, std::string> row_from(std::string_view line) {
  line = line.substr(0, line.find('#'));
  const auto skip = [&] {
    const std::size_t at = line.find_first_not_of(" \t\r");
    line = at == std::string_view::npos ? std::string_view() : line.substr(at);
  };
  skip();
  if (line.empty()) return std::optional<LogRow>();
  LogRow row;
  double seconds = 0;
  const auto [end, error] = std::from_chars(line.data(), line.data() + line.size(), seconds);
  constexpr double most = 9e9;  // seconds that nanoseconds in 64 bits can count
  if (error != std::errc() || !(seconds >= 0 && seconds < most)) {
    return tl::unexpected(std::string("it does not begin with a time in seconds"));
  }
  row.time = Duration(static_cast<std::int64_t>(seconds * 1e9));
  line = line.substr(static_cast<std::size_t>(end - line.data()));
  if (!line.empty() && line.front() != ' ' && line.front() != '\t') {
    return tl::unexpected(std::string("behind the time there is no blank"));
  }
  skip();
  if (!line.empty() && (line.front() == '>' || line.front() == '<')) {
    row.is_request = line.front() == '>';
    line = line.substr(1);
  }
  const auto bytes = modbus::from_hex(line);
  if (!bytes) return tl::unexpected(bytes.error().message);
  row.bytes = *bytes;
  return std::optional(std::move(row));
}

// How long nothing may come inside a frame: three and a half characters (V1.02, section 2.5.1.1),
// and what loggers add.
Duration silence_of(const model::ExchangeLine& line) {
  constexpr std::int64_t loggers = 2'000'000;
  constexpr std::int64_t usual_baud = 19200;
  constexpr std::int64_t bits = 11;
  const std::int64_t baud = std::max<std::int64_t>(1, line.baud.value_or(usual_baud));
  return Duration(loggers + 7 * bits * 1'000'000'000 / (2 * baud));
}

class LogReader {
 public:
  LogReader(const model::ResolvedPlan& plan, model::LineIndex line, Auditor& auditor)
      : auditor_(auditor),
        wire_(fmt::format("line {}", plan.exchange.lines[line].name)),
        framing_(plan.exchange.lines[line].mode == model::SerialMode::ascii ? modbus::Framing::ascii
                                                                            : modbus::Framing::rtu),
        heard_(framing_, modbus::Direction::request, silence_of(plan.exchange.lines[line])),
        requests_(framing_, modbus::Direction::request, silence_of(plan.exchange.lines[line])),
        replies_(framing_, modbus::Direction::reply, silence_of(plan.exchange.lines[line])) {
    heard_.hear_replies();
  }

  void add(const LogRow& row) {
    // times that run backwards are taken as they stand, one after the other
    const Duration now = std::max(row.time, last_);
    last_ = now;
    engine::FrameReceiver& receiver = !row.is_request   ? heard_
                                      : *row.is_request ? requests_
                                                        : replies_;
    engine::Received out;
    if (const auto silence = receiver.silence_at(); silence && *silence <= now) {
      receiver.look_at_silence(out);
    }
    receiver.receive(now, row.bytes, out);
    take(out, row.is_request);
  }
  void finish() {
    for (engine::FrameReceiver* receiver : {&heard_, &requests_, &replies_}) {
      engine::Received out;
      if (receiver->silence_at()) receiver->look_at_silence(out);
      std::optional<bool> direction;
      if (receiver != &heard_) direction = receiver == &requests_;
      take(out, direction);
    }
  }

  [[nodiscard]] std::uint64_t frames() const { return frames_; }
  [[nodiscard]] std::uint64_t lost_bytes() const { return lost_; }

 private:
  void take(const engine::Received& out, std::optional<bool> is_request) {
    for (const engine::ReceivedFrame& each : out.frames) {
      ++frames_;
      const bool request = is_request ? *is_request : !is_answer(each);
      auditor_.add({wire_, 0, {}, request, false, each.first_byte, each.last_byte, each.frame});
      awaited_ = request ? std::optional(each.frame) : std::nullopt;
    }
    for (const engine::ReceivedJunk& each : out.junk) lost_ += each.bytes;
  }

  // On one wire both look alike where a write is echoed: what answers the question before it.
  [[nodiscard]] bool is_answer(const engine::ReceivedFrame& frame) const {
    if (frame.is_reply) return true;
    if (!awaited_ || awaited_->unit != frame.frame.unit) return false;
    if (frame.frame.pdu.empty() || awaited_->pdu.empty()) return false;
    const auto function = std::to_integer<unsigned>(frame.frame.pdu[0]);
    const auto asked = std::to_integer<unsigned>(awaited_->pdu[0]);
    return (function & ~unsigned{modbus::exception_flag}) == asked &&
           modbus::decode_reply(frame.frame.pdu).has_value() &&
           (function != asked || !modbus::decode_request(frame.frame.pdu) ||
            frame.frame.pdu == awaited_->pdu || awaited_->pdu.size() != frame.frame.pdu.size());
  }

  Auditor& auditor_;
  std::string wire_;
  modbus::Framing framing_;
  engine::FrameReceiver heard_;
  engine::FrameReceiver requests_;
  engine::FrameReceiver replies_;
  std::optional<modbus::Frame> awaited_;  // the question that nobody has answered yet
  Duration last_{};
  std::uint64_t frames_ = 0;
  std::uint64_t lost_ = 0;
};

}  // namespace

CaptureRead audit_log(const std::string& text, const model::ResolvedPlan& plan,
                      model::LineIndex line, Auditor& auditor) {
  CaptureRead out;
  LogReader reader(plan, line, auditor);
  std::uint64_t number = 0;
  for (std::size_t from = 0; from < text.size();) {
    const std::size_t end = std::min(text.find('\n', from), text.size());
    ++number;
    const auto row = row_from(std::string_view(text).substr(from, end - from));
    from = end + 1;
    if (!row) {
      if (++out.bad_rows == 1) out.first_bad_row = fmt::format("line {}: {}", number, row.error());
      continue;
    }
    if (!*row) continue;
    ++out.packets;
    reader.add(**row);
  }
  reader.finish();
  out.frames = reader.frames();
  out.lost_bytes = reader.lost_bytes();
  return out;
}

}  // namespace greymet::capture
