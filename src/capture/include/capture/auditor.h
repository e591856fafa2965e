// Frames that were on the wire, held against the plan: what of it was seen, how often, how it was
// answered; and what else was asked, by whom.
#pragma once

#include <cstdint>
#include <deque>
#include <functional>
#include <map>
#include <optional>
#include <set>
#include <string>
#include <string_view>
#include <unordered_map>
#include <vector>

#include "capture/asked.h"
#include "capture/wire_watch.h"
#include "engine/measures.h"
#include "modbus/frame.h"
#include "model/resolved_plan.h"
#include "timing/measured_facts.h"
#include "timing/report.h"

namespace greymet::capture {

using model::Duration;

// A frame as it was on a wire. `wire`: "line north", or "host:port" of who answers as the plan
// writes it. `link` tells connections to one host apart. Views what it is given.
struct WireFrame {
  std::string_view wire;
  std::uint64_t link = 0;   // of the whole capture, each once
  std::string_view client;  // who asks; empty on a line
  bool is_request = true;
  bool has_numbers = true;  // of transactions: TCP
  Duration first{};
  Duration last{};
  const modbus::Frame& frame;
};

// How often something was asked, and how it was answered.
struct AskedStats {
  std::uint64_t seen = 0;
  std::uint64_t good = 0;
  std::uint64_t exceptions = 0;
  std::uint64_t timeouts = 0;  // no answer before it was asked again, or the connection closed
  std::optional<std::uint8_t> last_exception;
  Duration first{};
  Duration last{};
  engine::DurationSample intervals;            // from request to request
  engine::DurationSample replies;              // from request to answer, both whole; good ones
  std::set<std::string, std::less<>> clients;  // the first few
};

enum class AuditVerdict : std::uint8_t {
  good,
  missing,   // planned, and never asked
  slow,      // less often than planned
  often,     // more often than planned
  late,      // answers take longer than the bound of the response
  failing,   // some were not answered well
  shifted,   // asked one register lower or higher
  changed,   // asked with another count, or another begin
  not_seen,  // not cyclic, or the capture is too short to miss it
};
[[nodiscard]] std::string_view to_string(AuditVerdict verdict);

struct AuditedTransaction {
  std::size_t transaction = 0;  // into ResolvedPlan::transactions
  std::string name;
  std::optional<Duration> period;
  AskedStats stats;
  std::optional<Duration> bound;  // of the response
  AuditVerdict verdict = AuditVerdict::good;
  std::string note;  // what was asked instead ...
};

struct Unplanned {
  AskKey key;
  AskedStats stats;
  std::string nearest;  // the planned transaction it is most like; empty: none at that unit
};

struct AuditResult {
  std::vector<AuditedTransaction> transactions;  // of the wires that were captured, in list order
  std::vector<std::string> elsewhere;            // those of other wires
  std::vector<Unplanned> unplanned;              // the most frequent first
  std::map<std::pair<std::string, std::string>, std::uint64_t> clients;  // wire, client: requests
  Duration length{};  // from the first to the last frame
  std::uint64_t requests = 0;
  std::uint64_t replies = 0;
  std::uint64_t stray_replies = 0;  // to no request that was seen
  std::uint64_t foreign = 0;        // frames of functions that move no registers or bits
  std::uint64_t backwards = 0;      // frames with a time before the one before
  std::uint64_t beyond = 0;         // requests of more kinds than are kept apart
  std::vector<timing::MeasuredDuration> durations;  // for learning
  std::vector<Silence> silences;                    // that are worth a look, the longest first
  std::vector<SeenExchange> seen;                   // of the window
};

// Collects frames in the order of the capture, in constant memory: at most 5,000 different
// requests are told apart. Keeps a reference to the plan.
class Auditor {
 public:
  explicit Auditor(const model::ResolvedPlan& plan) : plan_(plan) {}

  // Told of the words, or bits, that good answers bring and writes send.
  using Watcher = std::function<void(const AskKey&, const std::vector<std::uint16_t>&)>;
  void watch(Watcher watcher) { watcher_ = std::move(watcher); }

  // Keeps what is on the wires between these instants since the first frame.
  void keep(Duration from, Duration until) { wires_.keep(from, until); }

  void add(const WireFrame& frame);
  // A connection is over: what it has not answered it will not.
  void close(std::uint64_t link);
  // `report`: of the same plan, for bounds. `line`: what was captured, else all connections; of
  // other wires nothing is judged.
  [[nodiscard]] AuditResult finish(const timing::TimingReport& report,
                                   std::optional<model::LineIndex> line = {});

 private:
  using Asked = std::map<AskKey, AskedStats>;
  struct Waiting {
    Asked::iterator asked;
    std::uint16_t number = 0;
    Duration since{};
  };
  using Counts = std::map<std::string, std::uint64_t, std::less<>>;

  void ask(const WireFrame& frame);
  void answer(const WireFrame& frame);
  void count_client(const WireFrame& frame);
  void tell_values(const AskKey& key, modbus::ByteView pdu) const;
  static void give_up(const Waiting& waiting);
  [[nodiscard]] std::optional<Asked::iterator> place_of(AskKey key);

  const model::ResolvedPlan& plan_;
  Watcher watcher_;
  Asked asked_;
  std::unordered_map<std::uint64_t, std::deque<Waiting>> waiting_;  // by link
  std::map<std::string, Counts, std::less<>> clients_;              // by wire
  WireWatch wires_;
  AuditResult out_;
  std::optional<Duration> begin_;
  Duration end_{};
};

// What a transaction asks on the wire; nothing where it is not on one that can be captured so.
[[nodiscard]] std::optional<AskKey> key_of(const model::ResolvedPlan& plan,
                                           const model::ExchangeTransaction& t);

}  // namespace greymet::capture
