// A plan from bytes to findings, timing model and exchange: nothing may crash or hang.
#include "checks/check.h"
#include "files/exchange_export.h"
#include "files/plan_loader.h"
#include "files/plan_rewrite.h"
#include "files/result_json.h"
#include "input.h"
#include "model/resolved_plan.h"
#include "timing/bounds.h"
#include "timing/simulation.h"

using namespace greymet;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const auto files = files::memory_files(
      {{"plan.toml", fuzz::text_of(data, size)},
       {"m.csv", "point,area,address,type\nspeed,hr,0,i16\npower,hr,1,f32\nlamp,co,3,bool\n"}});
  const auto loaded = files::load_plan("plan.toml", files);
  const auto findings = checks::check(loaded.plan, loaded.findings);
  for (const auto& f : findings) fuzz::require(f.place.file < loaded.sources.size());
  (void)files::findings_json(loaded, findings);
  const auto timing = timing::build_timing_model(loaded.plan);
  (void)timing::bounds_of(timing);
  timing::SimulationOptions options;
  options.most_transactions = 2000;
  (void)timing::simulate(timing, options);
  if (checks::tally_of(findings).errors == 0) (void)files::exchange_json(loaded.plan);
  if (!loaded.plan.plan.wants.empty() && !loaded.unreadable) {
    // a plan that was read can be read again with one transaction more
    model::Transaction t;
    t.name = "fuzz \"1\"";
    t.slave = model::Located<std::string>{"s", {}};
    const auto changed = files::with_packed_wants(loaded.sources.front().text, {t});
    if (changed)
      (void)files::load_plan("plan.toml", files::memory_files({{"plan.toml", *changed}}));
  }
  return 0;
}
