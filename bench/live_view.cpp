// What the view of a run costs: 200 transactions, 1,000 answered requests a second, ten pictures a
// second on a screen of 45 lines. Prints the share of a core besides what a run does without it.
#include <chrono>
#include <cstdio>
#include <ctime>
#include <sstream>

#include <fmt/format.h>

#include "files/plan_loader.h"
#include "terminal/live_view.h"

using namespace greymet;

namespace {

std::string plan_text() {
  std::string text =
      "[controller.kiln]\nscan = \"10ms\"\n[controller.kiln.memory]\n\"%MW\" = { kind = \"word\", "
      "count = 8000 }\n";
  std::string rows;
  for (int meter = 0; meter < 20; ++meter) {
    text += fmt::format(
        "[slave.meter{}]\nhost = \"10.20.1.{}\"\nword_order = \"ABCD\"\nmap = \"meter.csv\"\n",
        meter, meter + 1);
    for (int part = 0; part < 10; ++part) {
      rows += fmt::format(
          "  {{ name = \"meter{}-part{}\", slave = \"meter{}\", fc = 3, at = {}, count = 20, into "
          "= \"%MW{}\", every = \"200ms\" }},\n",
          meter, part, meter, part * 20, (meter * 10 + part) * 20);
    }
  }
  return text + "[exchange]\ntransactions = [\n" + rows + "]\n";
}

std::string map_text() {
  std::string text = "point,area,address,type,unit\n";
  for (int i = 0; i < 100; ++i) text += fmt::format("value{},hr,{},f32,kW\n", i, 2 * i);
  return text;
}

double cpu_seconds() {
  timespec time{};
  ::clock_gettime(CLOCK_PROCESS_CPUTIME_ID, &time);
  return static_cast<double>(time.tv_sec) + static_cast<double>(time.tv_nsec) * 1e-9;
}

}  // namespace

int main() {
  const auto loaded = files::load_plan(
      "plan.toml", files::memory_files({{"plan.toml", plan_text()}, {"meter.csv", map_text()}}));
  const auto report = timing::analyse_longest(loaded.plan);
  engine::RunWatch watch(loaded.plan, report, {}, {});
  engine::ControllerMemory memory(loaded.plan.layouts[0]);
  const engine::Master master(loaded.plan, report.model, model::ControllerIndex(0), memory, {});
  cli::ValueHistory history(loaded.plan);
  cli::LiveView view(loaded.plan, report);
  std::vector<engine::MeasuredTransaction> transactions;
  std::ostringstream out;
  cli::Terminal terminal = cli::plain_terminal(out, out, 120);
  terminal.colour = true;
  const std::deque<std::string> lines(4, "12.3 s: meter7-part3: no reply");
  constexpr int seconds = 30;
  constexpr int pictures = 10;  // a second
  constexpr int requests = 1000;
  double cost = 0;
  std::size_t bytes = 0;
  for (int picture = 0; picture < seconds * pictures; ++picture) {
    const model::Duration now = std::chrono::milliseconds(100) * (picture + 1);
    for (int i = 0; i < requests / pictures; ++i) {
      engine::RequestRecord record;
      record.transaction = static_cast<std::size_t>(picture * requests / pictures + i) %
                           loaded.plan.transactions.size();
      record.end = now;
      record.as_of = now;
      record.tries = 1;
      record.words.assign(20, static_cast<std::uint16_t>(0x4100 + picture));
      watch.add(record);
    }
    const double before = cpu_seconds();
    history.look(now, watch);
    transactions = watch.transactions({&master}, {}, now);
    bytes += view.text({loaded.plan, watch, transactions, history, lines, now, true}, {45, 120},
                       terminal)
                 .size();
    cost += cpu_seconds() - before;
  }
  const double share = 100 * cost / seconds;
  std::puts(fmt::format("live view at {} requests/s: {:.2f} % of a core (limit 5 %), {} bytes a "
                        "picture",
                        requests, share, bytes / (seconds * pictures))
                .c_str());
  return share < 5 ? 0 : 1;
}
