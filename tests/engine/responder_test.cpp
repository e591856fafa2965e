// What comes back from who is asked, and what is done with a question that nobody answers.
#include "engine/responder.h"

#include <catch2/catch.hpp>

#include "engine/world.h"
#include "plans.h"

using namespace greymet;
using namespace greymet::engine;
using std::chrono::seconds;

namespace {

constexpr const char* gateway_plan = R"([controller.kiln]
scan = "10ms"
address = "10.20.0.10/24"
[controller.kiln.memory]
"%MW" = { kind = "word", first = 0, count = 100 }
[gateway.roof]
host = "10.20.0.40"
[line.roof]
via = "roof"
mode = "rtu"
baud = 9600
format = "8N2"
[slave.vane]
line = "roof"
unit = 1
[slave.cup]
line = "roof"
unit = 2
[exchange]
transactions = [
  { name = "vane", controller = "kiln", slave = "vane", fc = 3, at = 0, count = 1, into = "%MW0", every = "1s" },
  { name = "cup", controller = "kiln", slave = "cup", fc = 3, at = 0, count = 1, into = "%MW1", every = "1s" },
]
)";

class Behind {
 public:
  Behind() : loaded_(test::load(gateway_plan)) {
    for (const model::MemoryLayout& layout : loaded_.plan.layouts) memories_.emplace_back(layout);
    field.emplace(loaded_.plan, memories_, true);
  }
  // Asked over TCP; the reply as hex behind the MBAP header, "" for none, "!" in front where the
  // gateway has waited in vain.
  std::string ask(std::uint8_t unit, const std::string& pdu, bool translated = true) {
    Responder responder(loaded_.plan, *field, faults);
    const auto framing = translated ? modbus::Framing::tcp : modbus::Framing::rtu;
    const modbus::Frame frame{unit, 9, *modbus::from_hex(pdu)};
    const modbus::Bytes bytes = *modbus::encode_frame(frame, framing);
    const auto from = responder.answer_from_line({frame, bytes, framing, {}, {}, seconds(1)},
                                                 model::LineIndex(0), translated, random_);
    counts = responder.counts();
    const auto answer = modbus::decode_frame(from.reply.reply, framing);
    return (from.in_time ? "" : "!") + (answer ? modbus::to_hex(answer->pdu) : std::string());
  }

  FaultScript faults;
  std::optional<Field> field;
  ReplyCounts counts;

 private:
  files::LoadedPlan loaded_;
  std::vector<ControllerMemory> memories_;
  std::mt19937_64 random_;
};

FaultScript one(FaultKind kind, std::size_t slave) {
  Fault fault;
  fault.index = slave;
  fault.kind = kind;
  return FaultScript({fault});
}

// One slave with a connection for each request, which is asked once in `every`.
files::LoadedPlan asked_over_connections(const std::string& keys, const std::string& every) {
  const std::string plan = R"([controller.kiln]
scan = "10ms"
address = "10.20.0.10/24"
[controller.kiln.memory]
"%MW" = { kind = "word", first = 0, count = 100 }
[slave.air]
host = "10.20.0.31"
timeout = "200ms"
connect = "each"
KEYS
[exchange]
transactions = [
  { name = "air", controller = "kiln", slave = "air", fc = 3, at = 0, count = 1, into = "%MW0", every = "EVERY" },
]
)";
  return test::load(test::replaced(test::replaced(plan, "KEYS", keys), "EVERY", every));
}

}  // namespace

TEST_CASE("a gateway answers for a slave that is silent or not there where it translates") {
  Behind gateway;
  gateway.faults = one(FaultKind::silent, 0);
  CHECK(gateway.ask(1, "03 00 00 00 01") == "!83 0B");
  CHECK(gateway.counts.replies == 0);
  CHECK(gateway.counts.exceptions == 1);
  CHECK(gateway.ask(1, "03 00 00 00 01", false) == "!");
  CHECK(gateway.ask(2, "03 00 00 00 01") == "03 02 00 00");
  CHECK(gateway.counts.replies == 1);
  CHECK(gateway.ask(77, "03 00 00 00 01") == "!83 0B");
  // what damages the slave's replies does not damage what the gateway says itself
  gateway.faults = one(FaultKind::wrong_function, 0);
  CHECK(gateway.ask(77, "03 00 00 00 01") == "!83 0B");
}

TEST_CASE("a slave that only listens is silent for the gateway as well") {
  Behind gateway;
  CHECK(gateway.ask(1, "08 00 04 00 00") == "!88 0B");  // diagnostics: listen only
  CHECK(gateway.ask(1, "03 00 00 00 01") == "!83 0B");
  CHECK(gateway.ask(2, "03 00 00 00 01") == "03 02 00 00");
}

TEST_CASE("a broadcast reaches every slave of the line that hears, and nobody answers it") {
  for (const FaultKind deaf : {FaultKind::silent, FaultKind::exception}) {
    Behind gateway;
    gateway.faults = one(deaf, 0);
    CHECK(gateway.ask(0, "06 00 07 12 34").empty());
    gateway.faults = FaultScript();
    CHECK(gateway.ask(1, "03 00 07 00 01") == "03 02 00 00");
    CHECK(gateway.ask(2, "03 00 07 00 01") == "03 02 12 34");
  }
}

TEST_CASE("who refuses on purpose carries nothing out") {
  Behind gateway;
  gateway.faults = one(FaultKind::exception, 0);
  CHECK(gateway.ask(1, "06 00 07 12 34") == "86 04");
  CHECK(gateway.counts.exceptions == 1);
  gateway.faults = FaultScript();
  CHECK(gateway.ask(1, "03 00 07 00 01") == "03 02 00 00");
}

TEST_CASE("what was asked over a connection that is closed never comes over the next one") {
  const auto loaded = asked_over_connections("retries = 1", "1s");
  const auto timing = timing::build_timing_model(loaded.plan);
  WorldOptions options;
  options.faults = one(FaultKind::late, 0);
  World world(loaded.plan, timing, options);
  std::size_t timeouts = 0;
  world.run_until(seconds(10), [&](const RequestRecord& record) {
    if (record.outcome == Outcome::timeout) ++timeouts;
  });
  CHECK(timeouts >= 9);
  CHECK(total_of(odd_wires(world.masters())) == 0);
  // at the end nothing is tried again, and what would have been is not called lost
  world.run_until(seconds(10) + std::chrono::milliseconds(100), {});
  std::vector<Outcome> last;
  world.finish([&](const RequestRecord& record) { last.push_back(record.outcome); });
  CHECK(last == std::vector<Outcome>{Outcome::unfinished});
}

TEST_CASE("what reaches a slave after its connection was closed is answered to nobody") {
  // half of the way takes longer than the master waits
  const auto loaded = asked_over_connections(
      "retries = 2\nrtt = { typical = \"600ms\", max = \"700ms\" }\nconnect_timeout = \"2s\"",
      "5s");
  const auto timing = timing::build_timing_model(loaded.plan);
  World world(loaded.plan, timing, {});
  std::size_t good = 0;
  world.run_until(seconds(20), [&](const RequestRecord& record) {
    if (record.outcome == Outcome::good) ++good;
  });
  CHECK(world.frames_sent() >= 9);
  CHECK(good == 0);
  CHECK(total_of(odd_wires(world.masters())) == 0);
}
