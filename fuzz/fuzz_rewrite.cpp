// Any text as a plan whose wants are packed: what was there stays there, and what is added can be
// read.
#include "files/plan_rewrite.h"
#include "files/toml_reader.h"
#include "input.h"

using namespace greymet;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string plan = fuzz::text_of(data, size);
  model::Transaction t;
  t.name = "fuzz \"1\"";
  t.slave = model::Located<std::string>{"s", {}};
  const auto changed = files::with_packed_wants(plan, {t});
  if (!changed) return 0;
  // every byte of the plan, in its order
  std::size_t at = 0;
  for (const char c : *changed) {
    if (at < plan.size() && plan[at] == c) ++at;
  }
  fuzz::require(at == plan.size());
  // the judge says yes or no to any text, and yes only to what can be read without a new fault
  if (files::differs_only_by_packing(plan, *changed, {t})) {
    model::Findings before;
    model::Findings after;
    (void)files::read_toml(plan, 0, before);
    (void)files::read_toml(*changed, 0, after);
    fuzz::require(after.size() <= before.size());
  }
  return 0;
}
