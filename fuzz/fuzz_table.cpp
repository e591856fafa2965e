// A table of transactions from bytes.
#include "checks/check.h"
#include "files/plan_loader.h"
#include "input.h"

using namespace greymet;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  static const std::string plan =
      "[controller.k]\nscan = \"10ms\"\n[controller.k.memory]\n\"%MW\" = { kind = \"word\", count "
      "= 99 }\n"
      "[line.n]\nmaster = \"k\"\nmode = \"rtu\"\nbaud = 9600\nformat = \"8E1\"\n"
      "[slave.s]\nline = \"n\"\nunit = 1\n[exchange]\ntable = \"t.csv\"\n";
  const auto loaded = files::load_plan(
      "plan.toml",
      files::memory_files({{"plan.toml", plan}, {"t.csv", fuzz::text_of(data, size)}}));
  (void)checks::check(loaded.plan, loaded.findings);
  return 0;
}
