// A master on a line against bytes at any time: it keeps its promises of what is good. The input is
// a list of pauses and pieces; a piece may be a copy of an answer that was due before.
#include "engine/master.h"
#include "files/plan_loader.h"
#include "input.h"

using namespace greymet;
using namespace greymet::engine;

namespace {

constexpr const char* plan_text = R"([controller.kiln]
scan = "10ms"
[controller.kiln.memory]
"%MW" = { kind = "word", first = 0, count = 100 }
[line.north]
master = "kiln"
mode = "rtu"
baud = 38400
format = "8E1"
timeout = "50ms"
retries = 1
[slave.a]
line = "north"
unit = 1
[exchange]
transactions = [
  { name = "t", slave = "a", fc = 3, at = 10, count = 1, into = "%MW10", every = "90ms" },
  { name = "u", slave = "a", fc = 3, at = 20, count = 1, into = "%MW20", every = "120ms" },
  { name = "w", slave = "a", fc = 6, at = 30, from = "%MW30", every = "200ms" },
]
)";

struct Site {
  files::LoadedPlan loaded =
      files::load_plan("p.toml", files::memory_files({{"p.toml", plan_text}}));
  timing::TimingModel timing = timing::build_timing_model(loaded.plan);
};

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  static const Site site;
  ControllerMemory memory(site.loaded.plan.layouts[0]);
  Master master(site.loaded.plan, site.timing, model::ControllerIndex(0), memory, {});
  Duration now{};
  std::vector<MasterAction> actions;
  std::uint16_t number = 0;  // the word of each answer
  std::vector<modbus::Bytes> answers;
  std::uint64_t frames = 0;
  std::uint64_t tries = 0;
  const auto act = [&] {
    actions.clear();
    master.act(now, actions);
    for (const MasterAction& action : actions) {
      if (action.kind != MasterAction::Kind::send) continue;
      ++frames;
      ++number;
      const auto word = static_cast<std::byte>(number & 0x7FU);
      answers.push_back(*modbus::encode_frame(
          {1, 0, {std::byte{3}, std::byte{2}, std::byte{0}, word}}, modbus::Framing::rtu));
    }
    for (const RequestRecord& record : master.take_records()) {
      tries += static_cast<std::uint64_t>(record.tries);
      fuzz::require(record.start <= record.end && record.as_of <= record.replied);
      fuzz::require(record.outcome != Outcome::good || record.tries > 0);
    }
    fuzz::require(master.under_way() <= 1);
  };
  for (std::size_t at = 0; at + 2 < size; at += 2) {
    const Duration until = now + std::chrono::milliseconds(data[at] % 64);
    for (int i = 0; i < 1000 && master.next_wake() <= until; ++i) {
      now = std::max(now, master.next_wake());
      act();
    }
    now = until;
    const std::uint8_t what = data[at + 1];
    if (what < 200 && !answers.empty()) {
      // the latest answer, or one of those before
      const std::size_t back = std::min<std::size_t>(what / 40, answers.size() - 1);
      master.receive(now, 0, answers[answers.size() - 1 - back]);
    } else {
      const std::size_t length = std::min<std::size_t>(what % 16, size - at - 2);
      const auto* bytes = reinterpret_cast<const std::byte*>(data + at + 2);
      master.receive(now, 0, {bytes, length});
    }
    act();
  }
  master.stop();
  master.abandon(now);
  for (const RequestRecord& record : master.take_records()) {
    tries += static_cast<std::uint64_t>(record.tries);
  }
  fuzz::require(tries == frames);
  return 0;
}
