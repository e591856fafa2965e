// Segments, streams, frames and their audit from any bytes: whatever a capture holds, what comes of
// it adds up.
#include "capture/capture_audit.h"
#include "capture/mbap_cutter.h"
#include "capture/tcp_streams.h"
#include "input.h"

using namespace greymet;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  static const model::ResolvedPlan plan = [] {
    model::Plan declared;
    model::Line line;
    line.name = "north";
    declared.lines.push_back(line);
    model::Findings ignored;
    return model::resolve(std::move(declared), ignored);
  }();
  // packets: a byte for the link, two for the length, then the packet
  static constexpr int links[] = {0, 1, 101, 108, 113, 228, 229, 276};
  capture::Auditor auditor(plan);
  std::map<std::uint64_t, capture::MbapCutter> cutters;
  std::uint64_t handed = 0;
  std::uint64_t carried = 0;
  capture::TcpStreams streams(
      [](const capture::HostPort& host) { return host.port == 502; },
      [&](const capture::StreamPiece& piece) {
        handed += piece.bytes.size();
        cutters[piece.connection].add(
            piece.time, piece.bytes, piece.after_gap,
            [&](const modbus::Frame& frame, model::Duration first, model::Duration last) {
              fuzz::require(!frame.pdu.empty() && frame.pdu.size() <= modbus::longest_pdu);
              auditor.add({"10.20.0.31:502", piece.connection, "10.0.0.1", piece.from_client, true,
                           first, last, frame});
            });
      });
  std::size_t at = 0;
  std::int64_t time = 0;
  while (at + 3 <= size) {
    const auto link = capture::link_type_from(links[data[at] % 8]);
    const std::size_t length =
        std::min<std::size_t>(data[at + 1] * 256U + data[at + 2], size - at - 3);
    const auto packet = std::as_bytes(std::span(data + at + 3, length));
    at += 3 + length;
    capture::PacketKind kind;
    const auto segment = capture::segment_of(*link, packet, kind);
    fuzz::require(segment.has_value() == (kind.what == "TCP"));
    if (!segment) continue;
    fuzz::require(segment->payload.size() <= length);
    if (streams.add(model::Duration(++time), *segment)) carried += segment->payload.size();
  }
  streams.finish(model::Duration(++time));
  fuzz::require(handed <= carried);
  const std::string text(reinterpret_cast<const char*>(data), size);
  (void)capture::audit_log(text, plan, model::LineIndex(0), auditor);
  const auto result = auditor.finish({});
  std::uint64_t seen = 0;
  for (const auto& unplanned : result.unplanned) {
    seen += unplanned.stats.seen;
    fuzz::require(unplanned.stats.good + unplanned.stats.exceptions + unplanned.stats.timeouts <=
                  unplanned.stats.seen);
  }
  fuzz::require(seen + result.foreign + result.beyond == result.requests);
  return 0;
}
