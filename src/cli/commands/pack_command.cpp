#include <algorithm>
#include <filesystem>
#include <memory>
#include <optional>
#include <set>
#include <tuple>

#include <fmt/format.h>

#include "cli/print.h"
#include "cli/results.h"
#include "cli/rewrite.h"
#include "cli/table_cells.h"
#include "files/file_source.h"
#include "files/plan_rewrite.h"
#include "files/result_json.h"
#include "files/table_csv.h"
#include "line/command_line.h"
#include "model/duration_text.h"
#include "model/resolved_plan.h"
#include "model/unfold_alike.h"
#include "packing/pack.h"
#include "tables/packing_tables.h"

namespace greymet::cli {
namespace {

// The rows as they are to be written: of slaves that are alike once.
std::vector<model::Transaction> rows_of(const model::ResolvedPlan& plan,
                                        const packing::PackResult& result) {
  return model::fold_alike(plan, packing::declared_of(result));
}

// "500ms", "on %MX40"
std::string when_of(const packing::PackedRequest& r) {
  return r.declared.on ? "on " + r.declared.on->value : model::to_text(r.every);
}

// "%MW600", of a write "from %MW700"
std::string place_of(const packing::PackedRequest& r) {
  if (r.declared.from) return "from " + r.declared.from->value;
  return r.declared.into ? r.declared.into->value : std::string();
}

std::string requests_text(const packing::PackResult& result, const Terminal& terminal) {
  std::string text = tinted(terminal, Tint::bold, "requests") + "\n";
  text += tinted(terminal, Tint::dim,
                 fmt::format("  {} {:>3} {:<9} {:>5} {:>9} {:>9} {:<9} points",
                             name_cell("transaction", 22), "fc", "at", "count", "every", "phase",
                             "into")) +
          "\n";
  const std::size_t column = 2 + 22 + 1 + 3 + 1 + 9 + 1 + 5 + 1 + 9 + 1 + 9 + 1 + 9 + 1;
  for (const packing::PackedRequest& r : result.requests) {
    text += fmt::format("  {} {:>3} {:<9} {:>5} {:>9} {:>9} {:<9} ", name_cell(r.declared.name, 22),
                        r.declared.function->value, shown(r.declared.block.at->value.text),
                        r.quantity, shown(when_of(r)), model::to_text(r.phase), shown(place_of(r)));
    const std::size_t width = std::max<std::size_t>(terminal.width, column + 24);
    const std::string points = shown(fmt::format("{}", fmt::join(r.points, ", ")));
    text += folded(points, column, column, width) + "\n";
  }
  return text + "\n";
}

std::string sides_text(const packing::PackResult& result, const Terminal& terminal) {
  std::string text = tinted(terminal, Tint::bold, "before and after") + "\n";
  text += tinted(terminal, Tint::dim,
                 fmt::format("  {} {:<7} {:>9} {:>9} {:>10} {:>9}", name_cell("line", 14), "",
                             "requests", "use in %", "bound", "simul.")) +
          "\n";
  for (const packing::PackedLine& line : result.lines) {
    text += fmt::format("  {} {:<7} {:>9} {:>9.2f} {} {:>9}\n", name_cell(line.name, 14), "before",
                        line.before.requests, line.before.utilisation_percent,
                        ms_cell(line.before.response_bound, 10), "-");
    text +=
        fmt::format("  {} {:<7} {:>9} {:>9.2f} {} {}\n", name_cell("", 14), "packed",
                    line.after.requests, line.after.utilisation_percent,
                    ms_cell(line.after.response_bound, 10), ms_cell(line.response_simulated, 9));
  }
  return text + "\n";
}

std::string pack_text(const packing::PackResult& result, const Terminal& terminal) {
  std::string text = requests_text(result, terminal) + sides_text(result, terminal);
  text +=
      folded(
          "before: each wanted value in a request of its own. bound: the longest response on the "
          "line for any phases, in ms; simul.: with the phases chosen and longest durations.",
          0, 0, std::max<std::size_t>(terminal.width, 80)) +
      "\n";
  text += result.least ? "No other set of requests takes less line time.\n"
                       : "Too many periods side by side to prove that no other set takes less.\n";
  if (!result.phases_exact) text += "Phases: chosen one after the other, not all combinations.\n";
  for (const packing::PackedLine& line : result.lines) {
    if (line.missed == 0) continue;
    text += fmt::format(
        "{}: {} releases are missed in the simulation; `greymet tune` looks for a "
        "way out.\n",
        shown(line.name), line.missed);
  }
  return text;
}

// What check will say of the plan with these rows in it, and does not say of it now.
model::Findings raised_by(const files::LoadedPlan& loaded, const std::string& text) {
  const std::string& name = loaded.sources.front().name;
  const files::LoadedPlan after =
      files::load_plan(name, files::with_texts(files::disk_files(), {{name, text}}));
  const auto key = [](const model::Finding& f) {
    return fmt::format("{} {}", to_string(f.rule), to_text(f.subject));
  };
  std::multiset<std::string> before;
  for (const auto& f : checks::check(loaded.plan, loaded.findings)) before.insert(key(f));
  model::Findings raised = checks::check(after.plan, after.findings);
  std::erase_if(raised, [&](const model::Finding& f) {
    const auto at = before.find(key(f));
    if (at == before.end()) return false;
    before.erase(at);
    return true;
  });
  return raised;
}

std::string raised_text(const model::Findings& raised, const Terminal& terminal) {
  std::string list;
  for (const model::Finding& f : raised) {
    const std::string head = fmt::format("  {} {} {}: ", to_string(f.severity), to_string(f.rule),
                                         shown(to_text(f.subject)));
    list += head +
            folded(shown(f.message), head.size(), 6, std::max<std::size_t>(terminal.width, 80)) +
            '\n';
  }
  if (list.empty()) return "With these rows check has nothing more to report than now.\n";
  return "With these rows check will report:\n" + list;
}

// "wants 1 and 2 of slave m1 (hr) stay apart, as ..."
std::string apart_text(const packing::PackResult& result, const Terminal& terminal) {
  std::string text;
  for (const packing::KeptApart& k : result.kept_apart) {
    std::string wants;
    for (std::size_t i = 0; i < k.wants.size(); ++i) {
      wants += fmt::format("{}{}",
                           i == 0                    ? ""
                           : i + 1 == k.wants.size() ? " and "
                                                     : ", ",
                           k.wants[i]);
    }
    text += folded(fmt::format("wants {} of {} ({}) stay apart, as they differ in on_loss or into: "
                               "{} more, {:.2f} % of the line\n",
                               wants, shown(to_text(k.slave)), model::short_name(k.area),
                               model::counted(k.more_requests, "request"), k.line_percent),
                   0, 2, std::max<std::size_t>(terminal.width, 80));
  }
  return text;
}

void print_problems(const files::LoadedPlan& loaded, const packing::PackResult& result,
                    const Terminal& terminal) {
  for (const packing::PackProblem& p : result.problems) {
    terminal.err << fmt::format(
        "{}:{}:{}: {}: {}\n    {}\n", shown(loaded.sources[p.place.file].name), p.place.line,
        p.place.column, shown(to_text(p.subject)), shown(p.message), shown(p.remedy));
  }
}

// What was found in a plan, wherever it stands there; what concerns wants aside.
std::multiset<std::string> found_in(const files::LoadedPlan& loaded) {
  std::multiset<std::string> found;
  for (const model::Finding& f : loaded.findings) {
    if (f.subject.kind == model::SubjectKind::want) continue;
    found.insert(fmt::format("{} {} {} {}", to_string(f.severity), to_string(f.rule),
                             to_text(f.subject), f.message));
  }
  return found;
}

// True if the plan, read again, has these rows: what each asks, and where its values go.
bool has_rows(const model::Plan& plan, const std::vector<model::Transaction>& rows) {
  const auto key = [](const model::Transaction& t) {
    return std::tuple(t.name, t.slave ? t.slave->value : "", t.into ? t.into->value : "",
                      t.block.at ? t.block.at->value.text : "",
                      model::value_or(t.phase, model::Duration{}));
  };
  std::set<decltype(key(rows.front()))> there;
  for (const model::Transaction& t : plan.transactions) there.insert(key(t));
  return std::all_of(rows.begin(), rows.end(),
                     [&](const model::Transaction& t) { return there.count(key(t)) > 0; });
}

// The rewritten plan, if reading it back gives the very same plan, with the wants packed.
tl::expected<std::string, std::string> rewritten(const files::LoadedPlan& loaded,
                                                 const packing::PackResult& result) {
  const std::vector<model::Transaction> transactions = rows_of(loaded.plan, result);
  const files::SourceFile& source = loaded.sources.front();
  auto text = files::with_packed_wants(source.text, transactions);
  if (!text) return text;
  const auto again =
      files::load_plan(source.name, files::with_texts(files::disk_files(), {{source.name, *text}}));
  if (!again.unreadable && again.plan.plan.wants.empty() &&
      files::differs_only_by_packing(source.text, *text, transactions) &&
      has_rows(again.plan.plan, packing::declared_of(result)) &&
      found_in(again) == found_in(loaded)) {
    return text;
  }
  return tl::unexpected(
      std::string("the plan cannot be rewritten without changing it: copy the "
                  "rows by hand"));
}

// Writes the plan and all that it names into one folder, so that the folder holds all of it.
int write_copy(const files::LoadedPlan& loaded, const std::string& text,
               const packing::PackResult& result, const std::optional<model::Findings>& raised,
               const OutputOptions& output, const Terminal& said) {
  constexpr const char* report = "pack.json";
  const std::string& plan = loaded.sources.front().name;
  const std::size_t folder = plan.find_last_of('/') + 1;  // 0 where there is none
  if (plan.substr(folder) == report) {
    said.err << fmt::format("greymet: the plan is called {}, as the result is: rename it\n",
                            report);
    return exit_usage;
  }
  for (const files::SourceFile& source : loaded.sources) {
    if (source.may_be_quoted) continue;
    said.err << fmt::format(
        "greymet: {} lies outside the plan's folder and would be missing in {}: move it there, or "
        "use --write\n",
        shown(source.name), shown(output.out));
    return exit_usage;
  }
  ResultWriter writer(output.out, output.force, said);
  writer.all_or_nothing();
  writer.write(plan.substr(folder), text);
  for (std::size_t i = 1; i < loaded.sources.size(); ++i) {
    const files::SourceFile& source = loaded.sources[i];
    const std::string name =
        std::filesystem::path(source.name.substr(folder)).lexically_normal().string();
    if (name == report) {
      said.err << fmt::format("greymet: a file of the plan is called {}, as the result is\n",
                              report);
      return exit_usage;
    }
    writer.write(name, source.content());
  }
  writer.write(report, files::pack_json(loaded.plan, result, raised));
  return writer.finish();
}

}  // namespace

int run_pack(const PackOptions& options, const Terminal& terminal) {
  const UsablePlan usable = load_usable_plan(options.plan, terminal);
  if (usable.refused) return *usable.refused;
  if (usable.loaded.plan.wants.empty()) {
    terminal.err << "the plan has no `wants`: add rows such as { slave = \"meter\", points = "
                    "[\"*_power\"], every = \"1s\", into = \"%MW600\" }\n";
    return exit_usage;
  }
  const packing::PackResult result = packing::pack(usable.loaded.plan);
  const bool document = options.output.format != "text";
  print_problems(usable.loaded, result, terminal);
  const bool packed = result.problems.empty() && !result.requests.empty();
  tl::expected<std::string, std::string> text;
  std::optional<model::Findings> raised;
  if (packed) text = rewritten(usable.loaded, result);
  if (packed && text) raised = raised_by(usable.loaded, *text);
  if (options.output.format == "csv") {
    terminal.out << files::table_csv(tables::requests_table(result));
  } else if (document) {
    terminal.out << files::pack_json(usable.loaded.plan, result, raised);
  } else if (!result.requests.empty()) {
    terminal.out << pack_text(result, terminal) << apart_text(result, terminal);
  }
  if (!packed) return exit_findings;
  if (raised && !document) terminal.out << raised_text(*raised, terminal);
  if (!options.write && options.output.out.empty()) {
    if (!document) {
      terminal.out << "\nRows for `transactions` (--write puts them into the plan):\n";
      for (const auto& r : rows_of(usable.loaded.plan, result)) {
        terminal.out << "  " << shown(files::transaction_row(r)) << ",\n";
      }
    }
    return exit_fine;
  }
  if (!text) {
    terminal.err << fmt::format("greymet: {}\n", shown(text.error()));
    return exit_findings;
  }
  const Terminal said = told_on(options.output, terminal);
  if (options.write) {
    const int status = write_files(
        options.plan, {{options.plan, usable.loaded.sources.front().text, *text}}, said);
    if (status != exit_fine) return status;
  }
  if (options.output.out.empty()) return exit_fine;
  return write_copy(usable.loaded, *text, result, raised, options.output, said);
}

Action declare_pack(CLI::App& command, const Terminal& terminal) {
  const auto options = std::make_shared<PackOptions>();
  command.add_option("PLAN", options->plan, plan_help)->required();
  command.add_flag("--write", options->write,
                   "put the requests into the plan, and keep all else in it");
  add_results(command, options->output, {csv_format});
  return [options, &terminal] { return run_pack(*options, terminal); };
}

}  // namespace greymet::cli
