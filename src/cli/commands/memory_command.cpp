#include <algorithm>
#include <memory>

#include <fmt/format.h>

#include "cli/print.h"
#include "cli/results.h"
#include "figures/memory_map.h"
#include "files/memory_json.h"
#include "line/command_line.h"
#include "model/manual_beside.h"
#include "model/nearest_name.h"
#include "model/resolved_plan.h"
#include "tables/plan_tables.h"

namespace greymet::cli {
namespace {

std::string list_text(std::string_view head, const std::vector<std::string>& items,
                      std::size_t width) {
  if (items.empty()) return {};
  constexpr std::size_t indent = 4;
  const std::string all = fmt::format("{}: {}", head, fmt::join(items, ", "));
  return fmt::format("    {}\n", folded(shown(all), indent, indent, width));
}

// ": burner_flame_signal, burner_state and 13 more"
std::string tags_text(const std::vector<std::string>& tags) {
  constexpr std::size_t most_named = 2;
  if (tags.empty()) return {};
  std::string text = fmt::format(": {}", shown(tags.front()));
  for (std::size_t i = 1; i < std::min(tags.size(), most_named); ++i) {
    text += fmt::format(", {}", shown(tags[i]));
  }
  if (tags.size() > most_named) text += fmt::format(" and {} more", tags.size() - most_named);
  return text;
}

std::string store_text(const model::ResolvedPlan& plan, std::size_t controller,
                       const model::StoreReport& store, const Terminal& terminal) {
  const std::string_view unit = store.words ? "words" : "bits";
  std::string text =
      fmt::format("  {}: {} {} from {}, {} used, {} free\n", shown(store.name), store.count, unit,
                  shown(plan.layouts[controller].name_of(store.area, store.first)), store.used,
                  store.count - store.used);
  for (const model::MemoryRow& row : store.rows) {
    const std::string line = fmt::format(
        "    {:<20} {:>5}  {:<17}  {}{}{}", shown(row.range), row.count, to_string(row.purpose),
        shown(row.by), row.assigned ? " (place chosen by greymet)" : "", tags_text(row.tags));
    text += row.clash ? tinted(terminal, Tint::red, line + "  <- overlap") : line;
    text += "\n";
  }
  std::vector<std::string> free;
  for (const model::BitRange& bits : store.free) {
    free.push_back(model::free_text(plan, controller, bits));
  }
  text += list_text("free", free, terminal.width);
  for (const model::MemoryClash& clash : store.clashes) {
    text += tinted(terminal, Tint::red,
                   fmt::format("    overlap: {}, {} and {}", shown(clash.range),
                               shown(to_text(clash.first)), shown(to_text(clash.second)))) +
            "\n";
  }
  if (store.clashes_not_named > 0) {
    text += fmt::format("    and {} more overlaps\n", store.clashes_not_named);
  }
  return text;
}

std::string area_text(const model::ResolvedPlan& plan, std::size_t slave,
                      const model::DeviceAreaReport& area, const Terminal& terminal) {
  std::string text = fmt::format("  {}s\n", long_name(area.area));
  for (const model::DeviceRow& row : area.rows) {
    const std::string manual = manual_beside(
        plan, {false, slave, 0}, {area.area, {static_cast<std::uint16_t>(row.extent.first)}});
    const std::string line = fmt::format(
        "    {:<26} {:>5}  {:<8}  {}",
        model::range_text(area.area, row.extent) + (manual.empty() ? "" : " (" + manual + ")"),
        row.extent.end - row.extent.first, row.is_read ? "read" : "write", shown(row.by));
    text += row.clash ? tinted(terminal, Tint::red, line + "  <- written twice") : line;
    text += "\n";
  }
  text += list_text("listed, but moved by nobody", area.unused, terminal.width);
  std::vector<std::string> twice;
  for (const model::Extent& e : area.written_twice)
    twice.push_back(model::range_text(area.area, e));
  return text + list_text("written twice", twice, terminal.width);
}

std::string controller_text(const model::ResolvedPlan& plan, const model::ControllerMemory& memory,
                            const Terminal& terminal) {
  std::string text =
      tinted(terminal, Tint::bold,
             fmt::format("controller {}", shown(plan.plan.controllers[memory.controller].name)));
  text += "\n";
  for (const model::StoreReport& store : memory.stores) {
    text += store_text(plan, memory.controller, store, terminal);
  }
  return text;
}

std::string slave_text(const model::ResolvedPlan& plan, const model::SlaveMemory& memory,
                       const Terminal& terminal) {
  std::string text = tinted(terminal, Tint::bold,
                            fmt::format("slave {}", shown(plan.plan.slaves[memory.slave].name))) +
                     "\n";
  for (const model::DeviceAreaReport& area : memory.areas) {
    text += area_text(plan, memory.slave, area, terminal);
  }
  return text;
}

// Keeps what has this name; false if nothing has.
bool keep_only(const model::ResolvedPlan& plan, const std::string& name,
               model::MemoryReport& report) {
  std::erase_if(report.controllers, [&](const model::ControllerMemory& c) {
    return plan.plan.controllers[c.controller].name != name;
  });
  std::erase_if(report.slaves, [&](const model::SlaveMemory& s) {
    return plan.plan.slaves[s.slave].name != name;
  });
  return !report.controllers.empty() || !report.slaves.empty();
}

std::string nearest_owner(const model::ResolvedPlan& plan, const std::string& name) {
  std::vector<std::string_view> names;
  for (const model::Controller& c : plan.plan.controllers) names.emplace_back(c.name);
  for (const model::Slave& s : plan.plan.slaves) names.emplace_back(s.name);
  return shown(model::nearest_or_example(name, names));
}

std::string report_text(const model::ResolvedPlan& plan, const model::MemoryReport& report,
                        const Terminal& terminal) {
  std::string text;
  for (const model::ControllerMemory& memory : report.controllers) {
    if (!text.empty()) text += '\n';
    text += controller_text(plan, memory, terminal);
  }
  for (const model::SlaveMemory& memory : report.slaves) {
    if (!text.empty()) text += '\n';
    text += slave_text(plan, memory, terminal);
  }
  return text;
}

}  // namespace

int run_memory(const MemoryOptions& options, const Terminal& terminal) {
  const UsablePlan usable = load_usable_plan(options.plan, terminal);
  if (usable.refused) return *usable.refused;
  const model::ResolvedPlan& plan = usable.loaded.plan;
  model::MemoryReport report = model::memory_report(plan);
  if (!options.name.empty() && !keep_only(plan, options.name, report)) {
    terminal.err << fmt::format("greymet: the plan has no controller or slave '{}'{}\n",
                                shown(options.name.substr(0, 60)),
                                nearest_owner(plan, options.name));
    return exit_usage;
  }
  auto writer =
      print_results(options.output,
                    {"memory", [&] { return files::memory_json(plan, report); },
                     [&](const Terminal& on) { return report_text(plan, report, on); },
                     [&] {
                       return std::vector<tables::Table>{tables::memory_table(plan, report),
                                                         tables::registers_table(plan, report)};
                     }},
                    terminal);
  if (!writer) return exit_fine;
  for (const model::ControllerMemory& memory : report.controllers) {
    const auto map = figures::memory_map_of(plan, memory);
    writer->draw("memory-" + plan.plan.controllers[memory.controller].name,
                 [&](auto format) { return figures::memory_map_script(map, format); });
  }
  for (const model::SlaveMemory& memory : report.slaves) {
    const auto map = figures::memory_map_of(plan, memory);
    writer->draw("memory-" + plan.plan.slaves[memory.slave].name,
                 [&](auto format) { return figures::memory_map_script(map, format); });
  }
  return writer->finish();
}

Action declare_memory(CLI::App& command, const Terminal& terminal) {
  const auto options = std::make_shared<MemoryOptions>();
  command.add_option("PLAN", options->plan, plan_help)->required();
  command.add_option("NAME", options->name, "one controller or slave; all if left out");
  add_results(command, options->output, {csv_format});
  return [options, &terminal] { return run_memory(*options, terminal); };
}

}  // namespace greymet::cli
