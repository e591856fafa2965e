// Whoever answers takes any bytes from any number of sessions: nothing crashes, and what is said is
// a whole frame of the framing.
#include "engine/station.h"
#include "files/plan_loader.h"
#include "input.h"

using namespace greymet;
using engine::Duration;

namespace {

const char* const plan_text = R"([controller.kiln]
scan = "10ms"
answers = [ { port = 502 } ]
address = "10.20.0.10/24"
[controller.kiln.memory]
"%MW" = { kind = "word", first = 0, count = 100, serves = "hr:0" }
[controller.loadout]
scan = "10ms"
[controller.loadout.memory]
"%MW" = { kind = "word", first = 0, count = 100 }
[line.north]
master = "kiln"
mode = "rtu"
baud = 19200
format = "8E1"
[gateway.box]
host = "10.20.0.40"
[line.roof]
via = "box"
mode = "rtu"
baud = 19200
format = "8E1"
[slave.gauge]
line = "north"
unit = 1
[slave.weather]
line = "roof"
unit = 1
[exchange]
transactions = [
  { name = "in", slave = "gauge", fc = 3, at = 0, count = 4, into = "%MW0", every = "1s" },
  { name = "peer", controller = "loadout", slave = "kiln", fc = 3, at = "%MW0", count = 2, into = "%MW0", every = "1s" },
  { name = "roof", controller = "kiln", slave = "weather", fc = 3, at = 0, count = 2, into = "%MW10", every = "1s" },
]
)";

const model::ResolvedPlan& plan() {
  static const files::LoadedPlan loaded =
      files::load_plan("plan.toml", files::memory_files({{"plan.toml", plan_text}}));
  return loaded.plan;
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  if (size < 2) return 0;
  std::vector<engine::ControllerMemory> memories;
  for (const model::MemoryLayout& layout : plan().layouts) memories.emplace_back(layout);
  engine::Field field(plan(), memories, true);
  const engine::FaultScript faults;
  const engine::StationPlaces places = engine::station_places(plan());
  engine::LineStation line(plan(), places.lines.at(0), field, faults, {});
  const auto& host = places.hosts.at(data[0] % places.hosts.size());
  engine::HostStation station(plan(), host.first, host.second, field, faults, {});
  Duration now{};
  std::vector<engine::StationAction> actions;
  for (std::size_t at = 1; at < size;) {
    const std::size_t length = std::min<std::size_t>(data[at] & 0x1F, size - at - 1);
    const std::uint64_t session = data[at] >> 6U;
    const bool on_line = (data[at] & 0x20) != 0;
    ++at;
    modbus::Bytes piece;
    for (std::size_t i = 0; i < length; ++i) piece.push_back(std::byte{data[at + i]});
    at += length;
    now += std::chrono::milliseconds(length);
    if (on_line) {
      line.receive(now, piece);
    } else {
      if (length % 7 == 0) (void)station.accept(now, session);
      station.receive(now, session, piece);
      if (length % 11 == 10) station.closed(session);
    }
    line.act(now, actions);
    station.act(now, actions);
  }
  now += std::chrono::minutes(5);
  actions.clear();
  station.act(now, actions);
  for (const engine::StationAction& action : actions) {
    if (action.kind != engine::StationAction::Kind::send) continue;
    fuzz::require(modbus::decode_frame(action.bytes, modbus::Framing::tcp).has_value());
  }
  return 0;
}
