#include <fmt/format.h>

#include "cli/commands.h"
#include "cli/print.h"
#include "cli/results.h"
#include "cli/table_cells.h"
#include "files/file_source.h"
#include "files/plan_rewrite.h"
#include "files/result_json.h"
#include "model/duration_text.h"
#include "model/resolved_plan.h"
#include "packing/pack.h"

namespace greymet::cli {
namespace {

std::vector<model::Transaction> declared_of(const packing::PackResult& result) {
  std::vector<model::Transaction> transactions;
  transactions.reserve(result.requests.size());
  for (const auto& request : result.requests) transactions.push_back(request.declared);
  return transactions;
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
    text +=
        fmt::format("  {} {:>3} {:<9} {:>5} {:>9} {:>9} {:<9} ", name_cell(r.declared.name, 22),
                    r.declared.function->value, to_text(r.at), r.quantity, model::to_text(r.every),
                    model::to_text(r.phase), printable(r.declared.into->value));
    const std::size_t width = std::max<std::size_t>(terminal.width, column + 24);
    const std::string points = printable(fmt::format("{}", fmt::join(r.points, ", ")));
    text += folded(points, column, column, width) + "\n";
  }
  return text + "\n";
}

std::string sides_text(const packing::PackResult& result, const Terminal& terminal) {
  std::string text = tinted(terminal, Tint::bold, "before and after") + "\n";
  text +=
      tinted(terminal, Tint::dim,
             fmt::format("  {} {:>9} {:>9} {:>9} {:>9} {:>10} {:>10} {:>9}", name_cell("line", 14),
                         "requests", "packed", "use in %", "packed", "bound", "packed", "simul.")) +
      "\n";
  for (const packing::PackedLine& line : result.lines) {
    text +=
        fmt::format("  {} {:>9} {:>9} {:>9.2f} {:>9.2f} {} {} {}\n", name_cell(line.name, 14),
                    line.before.requests, line.after.requests, line.before.utilisation_percent,
                    line.after.utilisation_percent, ms_cell(line.before.response_bound, 10),
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
        "cure.\n",
        printable(line.name), line.missed);
  }
  return text + "Decide what each request does on_loss: rule H08 asks.\n";
}

void print_problems(const files::LoadedPlan& loaded, const packing::PackResult& result,
                    const Terminal& terminal) {
  for (const packing::PackProblem& p : result.problems) {
    terminal.err << fmt::format(
        "{}:{}:{}: {}: {}\n    {}\n", printable(loaded.sources[p.place.file].name), p.place.line,
        p.place.column, printable(to_text(p.subject)), printable(p.message), printable(p.remedy));
  }
}

// The rewritten plan, if reading it back gives the transactions that were packed.
tl::expected<std::string, std::string> rewritten(const files::LoadedPlan& loaded,
                                                 const packing::PackResult& result) {
  auto text = files::with_packed_wants(loaded.sources.front().text, declared_of(result));
  if (!text) return text;
  const std::size_t before = loaded.plan.plan.transactions.size();
  const std::string& name = loaded.sources.front().name;
  const files::FileSource disk = files::disk_files();
  const auto again =
      files::load_plan(name, [&](const std::string& path, std::size_t limit) -> files::FileContent {
        return path == name ? files::FileContent(*text) : disk(path, limit);
      });
  const auto& transactions = again.plan.plan.transactions;
  bool same = !again.unreadable && again.plan.plan.wants.empty() &&
              transactions.size() == before + result.requests.size();
  for (std::size_t i = 0; same && i < result.requests.size(); ++i) {
    // rows stand behind the others of the plan, in this order
    same = transactions[before + i].name == result.requests[i].declared.name;
  }
  if (same) return text;
  return tl::unexpected(
      std::string("the plan cannot be rewritten without changing it: copy the "
                  "rows by hand"));
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
  const bool json = options.output.format == "json";
  print_problems(usable.loaded, result, terminal);
  if (json) {
    terminal.out << files::pack_json(usable.loaded.plan, result);
  } else if (!result.requests.empty()) {
    terminal.out << pack_text(result, terminal);
  }
  if (!result.problems.empty() || result.requests.empty()) return exit_findings;
  if (!options.write && options.output.out.empty()) {
    if (!json) {
      terminal.out << "\nRows for `transactions` (--write puts them into the plan):\n";
      for (const auto& r : result.requests) {
        terminal.out << "  " << printable(files::transaction_row(r.declared)) << ",\n";
      }
    }
    return exit_fine;
  }
  const auto text = rewritten(usable.loaded, result);
  if (!text) {
    terminal.err << text.error() << "\n";
    return exit_findings;
  }
  const Terminal said = told_on(options.output, terminal);
  if (options.write) {
    const auto written = files::rewrite_file(options.plan, *text);
    if (!written) {
      terminal.err << written.error().message << "\n";
      return exit_unreachable;
    }
    said.out << fmt::format("wrote {}\n", printable(options.plan));
  }
  if (options.output.out.empty()) return exit_fine;
  ResultWriter writer(options.output.out, options.output.force, said);
  // the plan and what lies beside it, so that the folder holds all of it
  const std::string& plan = usable.loaded.sources.front().name;
  const std::size_t folder = plan.find_last_of('/') + 1;  // 0 where there is none
  writer.write(plan.substr(folder), *text);
  for (std::size_t i = 1; i < usable.loaded.sources.size(); ++i) {
    const std::string& name = usable.loaded.sources[i].name;
    const bool beside = name.starts_with(plan.substr(0, folder)) && name[folder] != '/' &&
                        name.find("..") == std::string::npos;
    if (beside) writer.write(name.substr(folder), usable.loaded.sources[i].text);
  }
  writer.write("pack.json", files::pack_json(usable.loaded.plan, result));
  return writer.status();
}

}  // namespace greymet::cli
