#include <algorithm>
#include <memory>

#include <fmt/format.h>

#include "cli/handover.h"
#include "cli/print.h"
#include "cli/results.h"
#include "cli/table_cells.h"
#include "files/points_export.h"
#include "files/table_json.h"
#include "line/command_line.h"
#include "model/duration_text.h"
#include "model/manual_beside.h"
#include "model/nearest_name.h"
#include "model/resolved_plan.h"
#include "tables/plan_tables.h"
#include "timing/point_ages.h"

namespace greymet::cli {
namespace {

using model::PointRow;

std::string type_text(const std::string& type, const std::optional<model::WordOrder>& order,
                      bool long_value) {
  return order && long_value ? fmt::format("{} {}", type, to_string(*order)) : type;
}

// "hr:72 (0x0048)": on the wire, and in the manual where that prints it otherwise.
std::string register_text(const model::ResolvedPlan& plan, const PointRow& row) {
  if (!row.area) return "-";
  const std::string manual =
      row.end.at_controller ? std::string()
                            : manual_beside(plan, {false, row.end.owner, 0},
                                            {*row.area, {static_cast<std::uint16_t>(*row.offset)}});
  return fmt::format("{}:{}{}", short_name(*row.area), *row.offset,
                     manual.empty() ? manual : fmt::format(" ({})", manual));
}

struct Widths {
  std::size_t memory = 0;
  std::size_t where = 0;
  std::size_t place = 0;  // the register
};

std::string memory_of(const model::ResolvedPlan& plan, const PointRow& row) {
  return plan.layouts[row.controller].name_of(row.memory);
}

Widths widths_of(const model::ResolvedPlan& plan, const std::vector<PointRow>& rows) {
  constexpr std::size_t least = 9;
  constexpr std::size_t most_memory = 20;
  constexpr std::size_t most_where = 32;
  constexpr std::size_t least_place = 8;
  constexpr std::size_t most_place = 18;
  Widths widths{least, least, least_place};
  const auto widen = [](std::size_t& width, const std::string& text, std::size_t most) {
    width = std::max(width, std::min(most, model::code_points(shown(text))));
  };
  for (const PointRow& row : rows) {
    widen(widths.memory, memory_of(plan, row), most_memory);
    widen(widths.where, row.where, most_where);
    widen(widths.place, register_text(plan, row), most_place);
  }
  return widths;
}

// One line a value; what other end, where here, and how old.
std::string row_text(const model::ResolvedPlan& plan, const PointRow& row,
                     const std::optional<model::Duration>& age, const Widths& widths,
                     const Terminal& terminal) {
  const bool long_value = is_multi_register(row.type.type);
  const std::string type =
      type_text(row.area ? to_text(row.type.type) : to_text(row.type), row.order, long_value);
  std::string tag = "-";
  if (row.tag) {
    const model::ResolvedTag& resolved = plan.tags[*row.tag];
    const model::Tag& declared = plan.declared(resolved);
    tag = fmt::format("{} {}", declared.name,
                      type_text(to_text(declared.type), plan.order_of(resolved),
                                is_multi_register(declared.type.type)));
  }
  std::string text =
      fmt::format("{} {} {} {:<{}} {:<10} {} {}", name_cell(memory_of(plan, row), widths.memory),
                  row.is_read ? "<-" : "->", name_cell(row.where, widths.where),
                  register_text(plan, row), widths.place, type, ms_cell(age, 9), shown(tag));
  if (row.swap && long_value) text += fmt::format(", swapped to {}", to_string(*row.swap));
  if (!row.used_by.empty()) {
    text += fmt::format("  (also {})", shown(fmt::format("{}", fmt::join(row.used_by, ", "))));
  }
  return "  " + (terminal.folds ? folded(text, 2, 6, terminal.width) : text) + "\n";
}

std::string list_text(const model::ResolvedPlan& plan, const model::PointList& list,
                      const std::vector<std::optional<model::Duration>>& ages,
                      const Terminal& terminal) {
  const Widths widths = widths_of(plan, list.rows);
  std::string text;
  std::optional<model::ControllerIndex> controller;
  std::string step;
  for (std::size_t i = 0; i < list.rows.size(); ++i) {
    const PointRow& row = list.rows[i];
    if (controller != row.controller) {
      if (controller) text += '\n';
      controller = row.controller;
      step.clear();
      text += heading(terminal,
                      fmt::format("controller {}", shown(plan.plan.controllers[*controller].name)),
                      fmt::format("  {:<{}}    {:<{}} {:<{}} {:<10} {:>9} {}", "memory",
                                  widths.memory, "other end", widths.where, "register",
                                  widths.place, "type", "age, ms", "tag"));
    }
    const std::string by = moved_by(plan, row);
    if (by != step) {
      step = by;
      std::string when;
      if (row.transaction) {
        const auto& t = plan.transactions[*row.transaction];
        if (t.function) when += fmt::format(", function {}", number_of(*t.function));
        if (t.trigger && t.trigger->kind == model::TriggerKind::cyclic) {
          when += fmt::format(", every {}", model::to_text(t.trigger->period));
        }
      }
      text += tinted(terminal, Tint::blue, fmt::format(" {}{}", shown(by), when)) + "\n";
    }
    text += row_text(plan, row, ages[i], widths, terminal);
  }
  if (list.rows.empty()) text += "no transaction moves a point of any map\n";
  if (!list.spare.empty()) {
    text += "\n" + tinted(terminal, Tint::bold, "moved, and named by no tag") + "\n";
    for (const model::SpareWords& spare : list.spare) {
      text += fmt::format("  {:<14} {} of controller {}\n",
                          shown(plan.layouts[spare.controller].name_of(spare.bits)),
                          shown(plan.transaction_name(spare.transaction)),
                          shown(plan.plan.controllers[spare.controller].name));
    }
  }
  return text;
}

// Keeps the rows of one controller or slave; false if the plan has neither.
bool keep_rows_of(const model::ResolvedPlan& plan, const std::string& name,
                  model::PointList& list) {
  const auto named = [&](const auto& things) {
    return std::any_of(things.begin(), things.end(),
                       [&](const auto& thing) { return thing.name == name; });
  };
  if (!named(plan.plan.controllers) && !named(plan.plan.slaves)) return false;
  std::erase_if(list.rows, [&](const PointRow& row) {
    const bool at_slave = !row.end.at_controller && plan.plan.slaves[row.end.owner].name == name;
    return plan.plan.controllers[row.controller].name != name && !at_slave;
  });
  std::erase_if(list.spare, [&](const model::SpareWords& spare) {
    return plan.plan.controllers[spare.controller].name != name;
  });
  return true;
}

int unknown_name(const model::ResolvedPlan& plan, const std::string& name, bool slaves_too,
                 const Terminal& terminal) {
  std::vector<std::string_view> names;
  for (const model::Controller& c : plan.plan.controllers) names.emplace_back(c.name);
  for (const model::Slave& s : plan.plan.slaves) {
    if (slaves_too) names.emplace_back(s.name);
  }
  return usage_error(terminal, fmt::format("the plan has no controller {}'{}'{}",
                                           slaves_too ? "or slave " : "", shown(name.substr(0, 60)),
                                           shown(model::nearest_or_example(name, names))));
}

int print_draft(const model::ResolvedPlan& plan, const model::PointList& list,
                const std::string& name, const Terminal& terminal) {
  for (std::size_t c = 0; c < plan.plan.controllers.size(); ++c) {
    if (plan.plan.controllers[c].name != name) continue;
    terminal.out << files::tags_csv(draft_tags(plan, list, model::ControllerIndex(c)));
    return exit_fine;
  }
  return unknown_name(plan, name, false, terminal);
}

}  // namespace

int run_points(const PointsOptions& options, const Terminal& terminal) {
  const UsablePlan usable = load_usable_plan(options.plan, terminal);
  if (usable.refused) return *usable.refused;
  const model::ResolvedPlan& plan = usable.loaded.plan;
  model::PointList list = model::point_list(plan);
  if (const auto refused = refuse_too_many(list, terminal)) return *refused;
  if (!options.tags.empty()) return print_draft(plan, list, options.tags, terminal);
  if (!options.name.empty() && !keep_rows_of(plan, options.name, list)) {
    return unknown_name(plan, options.name, true, terminal);
  }
  const auto ages = timing::age_bounds(plan, list, timing::analyse_longest(plan));
  const tables::Table table = tables::points_table(plan, list, ages);
  auto writer = print_results(options.output,
                              {"points", [&] { return files::json_array(table); },
                               [&](const Terminal& on) { return list_text(plan, list, ages, on); },
                               [&] { return std::vector<tables::Table>{table}; }},
                              terminal);
  if (!writer) return exit_fine;
  return writer->finish();
}

Action declare_points(CLI::App& command, const Terminal& terminal) {
  const auto options = std::make_shared<PointsOptions>();
  command.add_option("PLAN", options->plan, plan_help)->required();
  command.add_option("NAME", options->name, "one controller or slave; all if left out");
  command
      .add_option("--tags", options->tags,
                  "draft the table of tags that this controller's program would need, as CSV")
      ->type_name("CONTROLLER");
  add_results(command, options->output, {{"csv", "one line a value"}});
  return [options, &terminal] { return run_points(*options, terminal); };
}

}  // namespace greymet::cli
