// new --update: a map brought up to a newer revision of its manual.
#include <algorithm>
#include <filesystem>

#include <fmt/format.h>

#include "cli/print.h"
#include "cli/rewrite.h"
#include "files/map_update.h"
#include "files/rewrite_files.h"
#include "line/command_line.h"
#include "map_change_lines.h"
#include "model/utf8_text.h"
#include "new_map.h"

namespace greymet::cli {
namespace {

model::Numbering numbering_from(const std::string& text) {
  return text == "reference" ? model::Numbering::reference
         : text == "from-1"  ? model::Numbering::from_1
                             : model::Numbering::from_0;
}

// Points that are gone and that the plan uses.
std::size_t lost(const std::vector<tables::MapChangeRow>& rows) {
  return static_cast<std::size_t>(
      std::count_if(rows.begin(), rows.end(), [](const tables::MapChangeRow& row) {
        return row.change.kind == model::MapChangeKind::gone && !row.users.empty();
      }));
}

}  // namespace

int update_map(const NewOptions& options, const Terminal& terminal) {
  if (options.slaves.size() != 1 || options.plan.empty()) {
    return usage_error(terminal,
                       "--update takes one slave of a plan: --from FILE --slave NAME --plan PLAN");
  }
  const std::string& name = options.slaves.front();
  const UsablePlan usable = load_usable_plan(options.plan, terminal);
  if (usable.refused) return *usable.refused;
  const model::ResolvedPlan& plan = usable.loaded.plan;
  const auto& slaves = plan.plan.slaves;
  const auto slave = std::find_if(slaves.begin(), slaves.end(),
                                  [&](const model::Slave& each) { return each.name == name; });
  if (slave == slaves.end() || !slave->map_file || !slave->map) {
    return usage_error(
        terminal, slave == slaves.end()
                      ? fmt::format("--slave {}: the plan has no such slave", shown(name))
                      : fmt::format("--slave {}: it has no map to be brought up to date; write "
                                    "map = \"maps/{}.csv\" there first",
                                    shown(name), shown(name)));
  }
  auto table = imported(options.from, name, options, terminal);
  if (!table) {
    terminal.err << fmt::format("greymet: {}\n", shown(table.error()));
    return exit_usage;
  }
  const std::string parent = std::filesystem::path(options.plan).parent_path().string();
  const std::string path =
      parent.empty() ? slave->map_file->value : parent + "/" + slave->map_file->value;
  const auto before = files::disk_files()(path, files::largest_map);
  if (!before) {
    terminal.err << fmt::format("greymet: {}: {}\n", shown(path), shown(before.error().message));
    return exit_unreachable;
  }
  // a table that does not tell counts as the manual before it did
  const model::Numbering own = model::value_or(slave->numbering, model::Numbering::from_0);
  const bool assumed =
      !table->numbering ||
      std::any_of(table->assumed.begin(), table->assumed.end(),
                  [](const files::ImportAssumption& each) { return each.key == "numbering"; });
  const model::Numbering counts = !options.numbering.empty() ? numbering_from(options.numbering)
                                  : assumed                  ? own
                                                             : numbering_from(*table->numbering);
  if (options.numbering.empty() && assumed) {
    terminal.out << fmt::format("counted {}, as slave {} is; else say --numbering\n",
                                to_string(own), shown(name));
  }
  const auto update = files::updated_map(*before, own, table->csv, counts);
  if (!update) {
    terminal.err << fmt::format("greymet: {}\n", shown(update.error()));
    return exit_findings;
  }
  const auto rows = with_users(update->changes, plan, *slave->map);
  terminal.out << map_change_lines(rows, terminal);
  for (const model::MapChange& change : update->renamed) {
    terminal.out << fmt::format("named    {}: the table calls it {}; the plan goes on as it is\n",
                                shown(change.old), shown(change.now));
  }
  terminal.out << fmt::format("{} as they were\n", model::counted(update->same, "point"));
  if (options.dry_run) return update->changes.empty() ? exit_fine : exit_findings;
  if (update->changes.empty()) return exit_fine;
  if (const std::size_t gone = lost(rows); gone > 0 && !options.force) {
    terminal.err << fmt::format(
        "greymet: nothing is written: {} used and not in the table; take {} out of the plan first, "
        "or add --force\n",
        gone == 1 ? "1 point is" : fmt::format("{} points are", gone), gone == 1 ? "it" : "them");
    return exit_findings;
  }
  if (const int status = write_files(options.plan, {{path, *before, update->csv}}, terminal);
      status != exit_fine) {
    return status;
  }
  return say_check(options.plan, terminal) ? exit_fine : exit_findings;
}

}  // namespace greymet::cli
