// Any bytes as the name of everything, through every output of the files layer: each document stays
// one, and nothing hidden gets out.
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "checks/check.h"
#include "files/exchange_export.h"
#include "files/findings_sarif.h"
#include "files/memory_json.h"
#include "files/plan_loader.h"
#include "files/result_json.h"
#include "input.h"
#include "model/file_name.h"
#include "model/memory_report.h"
#include "model/resolved_plan.h"
#include "model/utf8_text.h"

using namespace greymet;

namespace {

void require_shown(const std::string& text, bool csv = false) {
  for (std::size_t at = 0; at < text.size();) {
    std::size_t behind = at;
    const auto point = model::decode(text, at, behind);
    fuzz::require(point.has_value());
    fuzz::require(*point == '\n' || (csv && *point == '\r') || !model::is_hidden(*point));
    at = behind;
  }
}

void require_json(const std::string& text) {
  require_shown(text);
  fuzz::require(nlohmann::json::accept(text));
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string bytes = fuzz::text_of(data, std::min<std::size_t>(size, 200));
  require_shown(model::shown(bytes));
  fuzz::require(model::shown(model::shown(bytes)) == model::shown(bytes));
  const std::string file = model::file_name_of(bytes);
  fuzz::require(!file.empty() && file.size() <= 80 && file.find('/') == std::string::npos);
  // code points that TOML can spell
  std::string name;
  for (std::size_t at = 0; at < bytes.size();) {
    std::size_t behind = at;
    if (const auto point = model::decode(bytes, at, behind))
      name += fmt::format("\\U{:08X}", *point);
    at = behind;
  }
  const std::string plan = fmt::format(
      "[controller.\"c{0}\"]\nscan = \"10ms\"\n[controller.\"c{0}\".memory]\n\"%MW\" = {{ kind = "
      "\"word\", first = 0, count = 100 }}\n[line.\"l{0}\"]\nmaster = \"c{0}\"\nmode = "
      "\"rtu\"\nbaud = "
      "9600\nformat = \"8E1\"\n[slave.\"{0}\"]\nline = \"l{0}\"\nunit = "
      "1\n[exchange]\ntransactions = "
      "[ {{ name = \"{0}\", slave = \"{0}\", fc = 3, at = 0, count = 1, into = \"%MW0\", every = "
      "\"1s\" }} ]\n",
      name);
  const auto loaded = files::load_plan(bytes, files::memory_files({{bytes, plan}}));
  const auto findings = checks::check(loaded.plan, loaded.findings);
  require_json(files::findings_json(loaded, findings));
  require_json(files::findings_sarif(loaded, findings, "1"));
  require_json(files::memory_json(loaded.plan, model::memory_report(loaded.plan)));
  require_json(files::exchange_json(loaded.plan));
  require_shown(files::exchange_csv(loaded.plan), true);
  return 0;
}
