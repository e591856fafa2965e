#include <filesystem>
#include <map>
#include <memory>

#include <fmt/format.h>

#include "cli/handover.h"
#include "cli/print.h"
#include "exports/exchange_diff.h"
#include "files/exchange_export.h"
#include "files/map_reader.h"
#include "files/plan_loader.h"
#include "files/table_csv.h"
#include "files/table_json.h"
#include "line/command_line.h"
#include "map_change_lines.h"
#include "model/ascii_text.h"
#include "model/map_changes.h"
#include "model/resolved_plan.h"

namespace greymet::cli {
namespace {

// Lines of differences; those of slaves that are alike which differ in numbers alone are one.
class DiffLines {
 public:
  DiffLines(const model::WrittenAs& old, const model::WrittenAs& now) {
    for (const model::WrittenAs* each : {&old, &now}) {
      for (const auto& [subject, written] : *each) written_[to_text(subject)] = to_text(written);
    }
  }

  // `key` tells differences of one subject apart.
  void add(const std::string& subject, const std::string& key, std::string text) {
    const auto written = written_.find(subject);
    if (written != written_.end()) {
      const auto [at, is_first] =
          firsts_.try_emplace({written->second, model::without_numbers(key)}, lines_.size());
      if (!is_first) {
        lines_[at->second].others.push_back(subject.substr(subject.find(' ') + 1));
        return;
      }
    }
    lines_.push_back({std::move(text), {}});
  }

  [[nodiscard]] std::string text(std::string_view indent) const {
    std::string out;
    for (const Line& line : lines_) {
      const std::string alike =
          line.others.empty() ? "" : fmt::format(" (alike: {})", model::list_of_names(line.others));
      out += fmt::format("{}{}{}\n", indent, shown(line.text), shown(alike));
    }
    return out;
  }

 private:
  struct Line {
    std::string text;
    std::vector<std::string> others;
  };
  std::map<std::string, std::string> written_;
  std::map<std::pair<std::string, std::string>, std::size_t> firsts_;
  std::vector<Line> lines_;
};

std::string diff_text(const std::vector<exports::Change>& changes,
                      const std::vector<exports::TimingChange>& timing, const model::WrittenAs& old,
                      const model::WrittenAs& now, const Terminal& terminal) {
  if (changes.empty() && timing.empty()) return "no difference in the exchange\n";
  DiffLines lines(old, now);
  for (const exports::Change& change : changes) {
    lines.add(fmt::format("{} {}", change.kind, change.subject),
              fmt::format("{} {} {}", change.what, change.old, change.now), to_text(change));
  }
  std::string text = lines.text("");
  if (timing.empty()) return text;
  text += tinted(terminal, Tint::bold, "what it does to timing") + "\n";
  DiffLines of_timing(old, now);
  for (const exports::TimingChange& change : timing) {
    of_timing.add(change.subject, change.what, to_text(change));
  }
  return text + of_timing.text("  ");
}

// The slave of the plan whose map is one of the two files, or null.
const model::Slave* slave_with_map(const model::Plan& plan, const DiffOptions& options) {
  const std::filesystem::path folder = std::filesystem::path(options.plan).parent_path();
  for (const model::Slave& slave : plan.slaves) {
    if (!slave.map_file || !slave.map) continue;
    for (const std::string& name : {options.old_plan, options.new_plan}) {
      std::error_code ignored;
      if (std::filesystem::equivalent(folder / slave.map_file->value, name, ignored)) {
        return &slave;
      }
    }
  }
  return nullptr;
}

bool is_map(const std::string& name) {
  return name.size() > 4 && model::equal_in_any_case(name.substr(name.size() - 4), ".csv");
}

// A map as it stands; how it counts a plan says, else both are read from 0.
tl::expected<model::RegisterMap, std::string> read_map_file(const std::string& name,
                                                            model::Numbering numbering) {
  const auto content = files::disk_files()(name, files::largest_map);
  if (!content) return tl::unexpected(fmt::format("{}: {}", name, content.error().message));
  model::Findings findings;
  auto map = files::read_map(*content, name, 0, numbering, {}, findings);
  for (const model::Finding& f : findings) {
    if (f.severity == model::Severity::error) {
      return tl::unexpected(fmt::format("{}:{}: {}", name, f.place.line, f.message));
    }
  }
  return map;
}

// Of maps, and with --plan who uses what differs.
int diff_maps(const DiffOptions& options, const Terminal& terminal) {
  std::optional<UsablePlan> usable;
  const model::Slave* slave = nullptr;  // whose map is one of the two
  if (!options.plan.empty()) {
    usable.emplace(load_usable_plan(options.plan, terminal, rules_without_time()));
    if (usable->refused) return *usable->refused;
    slave = slave_with_map(usable->loaded.plan.plan, options);
    if (slave == nullptr) {
      return usage_error(
          terminal, fmt::format("--plan {}: no slave has {} or {} as its map", shown(options.plan),
                                shown(options.old_plan), shown(options.new_plan)));
    }
  }
  const model::Numbering numbering =
      slave == nullptr ? model::Numbering::from_0
                       : model::value_or(slave->numbering, model::Numbering::from_0);
  const auto old = read_map_file(options.old_plan, numbering);
  const auto now = read_map_file(options.new_plan, numbering);
  for (const auto* each : {&old, &now}) {
    if (each->has_value()) continue;
    terminal.err << fmt::format("greymet: {}\n", shown(each->error()));
    return exit_usage;
  }
  const auto changes = model::map_changes(*old, *now);
  std::vector<tables::MapChangeRow> rows;
  if (slave != nullptr) {
    rows = with_users(changes, usable->loaded.plan, *slave->map);
  } else {
    rows.reserve(changes.size());
    for (const model::MapChange& change : changes) rows.push_back({change, {}});
  }
  const tables::Table table = tables::map_changes_table(rows);
  terminal.out << (options.format == "json"  ? files::json_array(table)
                   : options.format == "csv" ? files::table_csv(table)
                   : rows.empty()            ? std::string("the maps say the same\n")
                                             : map_change_lines(rows, terminal));
  return changes.empty() ? exit_fine : exit_findings;
}

}  // namespace

int run_diff(const DiffOptions& options, const Terminal& terminal) {
  if (is_map(options.old_plan) && is_map(options.new_plan)) return diff_maps(options, terminal);
  if (!options.plan.empty()) {
    return usage_error(terminal, "--plan goes with two maps: greymet diff OLD.csv NEW.csv");
  }
  const UsablePlan old =
      load_usable_plan(options.old_plan, terminal, rules_without_time(), options.beside);
  if (old.refused) return *old.refused;
  const UsablePlan now =
      load_usable_plan(options.new_plan, terminal, rules_without_time(), options.beside);
  if (now.refused) return *now.refused;
  for (const UsablePlan* plan : {&old, &now}) {
    if (const auto refused = refuse_too_large(*plan, "compared", terminal)) return *refused;
  }
  const auto changes = exports::exchange_changes(files::exchange_json(old.loaded.plan),
                                                 files::exchange_json(now.loaded.plan));
  if (!changes) return usage_error(terminal, changes.error());
  std::vector<exports::TimingChange> timing;
  if (!changes->empty()) {
    timing = exports::timing_changes(timing::analyse_longest(old.loaded.plan),
                                     timing::analyse_longest(now.loaded.plan));
  }
  terminal.out << (options.format == "json" ? exports::diff_json(*changes, timing)
                   : options.format == "csv"
                       ? files::table_csv(exports::changes_table(*changes))
                       : diff_text(*changes, timing, old.loaded.plan.plan.written_as,
                                   now.loaded.plan.plan.written_as, terminal));
  return changes->empty() ? exit_fine : exit_findings;
}

Action declare_diff(CLI::App& command, const Terminal& terminal) {
  const auto options = std::make_shared<DiffOptions>();
  command.add_option("OLD", options->old_plan, "the plan as it was, or a map")->required();
  command.add_option("NEW", options->new_plan, "the plan as it is now, or a map")->required();
  command.add_option("--beside", options->beside, beside_help)->type_name("DIR");
  command.add_option("--plan", options->plan, "of two maps: the plan whose rows use the old one")
      ->type_name("PLAN");
  add_format(command, options->format, {csv_format});
  return [options, &terminal] { return run_diff(*options, terminal); };
}

}  // namespace greymet::cli
