// A capture, or a log of a serial line, read from its begin to its end and held against a plan.
#pragma once

#include <functional>
#include <map>
#include <set>
#include <string>
#include <tl/expected.hpp>
#include <vector>

#include "capture/auditor.h"
#include "capture/tcp_streams.h"

namespace greymet::capture {

// Addresses of the capture -> addresses of the plan: "192.0.2.7" or "127.0.0.1:40123".
using Aliases = std::map<std::string, std::string>;

// What was read, whatever it was.
struct CaptureRead {
  std::uint64_t packets = 0;                   // rows of a log
  std::map<std::string, std::uint64_t> kinds;  // of packets that are no TCP: "UDP", "ARP" ...
  std::map<std::string, std::uint64_t>
      other;  // TCP of nobody in the plan: "10.0.0.5:80" -> segments
  StreamCounts streams;
  std::uint64_t frames = 0;
  std::uint64_t lost_bytes = 0;  // that were no frame
  // rtu or tcp, by "host:port" as the plan writes it: how frames were wrapped there
  std::map<std::string, modbus::Framing> framings;
  std::uint64_t bad_rows = 0;  // of a log
  std::string first_bad_row;   // "line 12: ..."
  std::string damage;          // why it could not be read to its end
};
using Progress = std::function<void(double)>;

// Where frames were wrapped in another way than the plan's master would wrap them, a line each: who
// answers there would understand nothing.
[[nodiscard]] std::vector<std::string> other_framings(const model::ResolvedPlan& plan,
                                                      const CaptureRead& read);
// "host:port" of those who spoke RTU frames.
[[nodiscard]] std::set<std::string> rtu_wires(const CaptureRead& read);

// Hands all frames of a pcap or pcapng file to the auditor. Fails with one line for what is no
// capture; a damaged one is read as far as it goes.
[[nodiscard]] tl::expected<CaptureRead, std::string> audit_capture(const std::string& path,
                                                                   const model::ResolvedPlan& plan,
                                                                   const Aliases& aliases,
                                                                   Auditor& auditor,
                                                                   const Progress& progress);

// The same of a text: rows of `SECONDS HEX [HEX...]`, with `>` (request) or `<` (reply) behind the
// time where that is known; `#` begins a comment. A row may be a piece of a frame.
[[nodiscard]] CaptureRead audit_log(const std::string& text, const model::ResolvedPlan& plan,
                                    model::LineIndex line, Auditor& auditor);

}  // namespace greymet::capture
