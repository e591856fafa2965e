// Segments, streams, frames and their audit from any bytes: whatever a capture holds, what comes of
// it adds up.
#include "capture/capture_audit.h"
#include "capture/draft_plan.h"
#include "capture/stream_cutter.h"
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
  capture::SeenValues values;
  auditor.watch([&](const capture::AskKey& key, const std::vector<std::uint16_t>& words) {
    values.add(key, words);
  });
  std::map<std::uint64_t, capture::StreamCutter> cutters;
  std::uint64_t framed = 0;
  // frames, and what is none, are no more than the bytes that came
  const auto take = [&](capture::StreamCutter& cutter, std::uint64_t link, std::int64_t when,
                        modbus::ByteView bytes, bool from_client, bool after_gap) {
    cutter.add(model::Duration(when), bytes, from_client, after_gap,
               [&](const modbus::Frame& frame, bool is_request, model::Duration first,
                   model::Duration last) {
                 fuzz::require(!frame.pdu.empty() && frame.pdu.size() <= modbus::longest_pdu + 2);
                 fuzz::require(first <= last);
                 framed += frame.pdu.size();
                 auditor.add({"10.20.0.31:502", link, "10.0.0.1", is_request,
                              cutter.framing() == modbus::Framing::tcp, first, last, frame});
               });
  };
  std::uint64_t handed = 0;
  std::uint64_t carried = 0;
  capture::TcpStreams streams([](const capture::HostPort& host) { return host.port == 502; },
                              [&](const capture::StreamPiece& piece) {
                                handed += piece.bytes.size();
                                take(cutters[piece.connection], piece.connection,
                                     piece.time.count(), piece.bytes, piece.from_client,
                                     piece.after_gap);
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
  fuzz::require(framed <= handed);
  // the same bytes as one connection, cut where they say
  capture::StreamCutter whole;
  const auto all = std::as_bytes(std::span(data, size));
  framed = 0;
  for (std::size_t from = 0; from < size;) {
    const std::size_t length = std::min<std::size_t>(1 + data[from] % 64U, size - from);
    take(whole, 1'000'000, ++time, all.subspan(from, length), data[from] % 2 == 0,
         data[from] % 16 == 5);
    from += length;
  }
  fuzz::require(framed + whole.lost_bytes() <= size);
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
  const auto draft = capture::draft_plan(result, values, {"10.20.0.31:502"});
  fuzz::require(draft.files.size() == draft.slaves + 1);
  return 0;
}
