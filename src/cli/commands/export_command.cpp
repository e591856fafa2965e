#include <algorithm>
#include <filesystem>
#include <memory>
#include <tuple>

#include <fmt/format.h>

#include "cli/handover.h"
#include "cli/results.h"
#include "exports/compare.h"
#include "files/file_source.h"
#include "files/table_csv.h"
#include "line/command_line.h"
#include "model/nearest_name.h"

namespace greymet::cli {
namespace {

constexpr std::size_t largest_export = std::size_t{256} << 20;

// The exports that --only names; all where it names none.
tl::expected<std::vector<exports::Export>, std::string> chosen(
    const std::vector<std::string>& only) {
  std::vector<std::string_view> names;
  for (const exports::Export& each : exports::all_exports()) names.push_back(each.name);
  for (const std::string& name : only) {
    if (std::find(names.begin(), names.end(), name) == names.end()) {
      return tl::unexpected(fmt::format("there is no export '{}'{}; there are {}",
                                        shown(name.substr(0, 40)), model::did_you_mean(name, names),
                                        fmt::join(names, ", ")));
    }
  }
  std::vector<exports::Export> out;
  for (const exports::Export& each : exports::all_exports()) {
    if (only.empty() || std::find(only.begin(), only.end(), each.name) != only.end()) {
      out.push_back(each);
    }
  }
  return out;
}

int unreachable_export(const Terminal& terminal, const std::string& why) {
  terminal.err << fmt::format("greymet: {}\n", shown(why));
  return exit_unreachable;
}

exports::ExportedFiles make_all(const std::vector<exports::Export>& formats,
                                const exports::ExportInput& input) {
  std::vector<exports::ExportedFile> all;
  for (const exports::Export& each : formats) {
    auto made = each.make(input);
    if (!made) return made;
    std::move(made->begin(), made->end(), std::back_inserter(all));
  }
  return all;
}

// Names in the folder that look like ours.
std::vector<std::string> present_in(const files::FileSource& source, const std::string& folder,
                                    const std::vector<exports::ExportedFile>& expected) {
  std::vector<std::string> out;
  const auto wanted = [&](std::string_view ending) {
    return std::any_of(expected.begin(), expected.end(),
                       [&](const auto& file) { return file.name.ends_with(ending); });
  };
  for (const std::string& name : source.names(folder)) {
    for (const std::string_view ending : {".st", ".plcopen.xml"}) {
      if (name.ends_with(ending) && wanted(ending)) out.push_back(name);
    }
  }
  if (wanted(".td.json")) {
    for (const std::string& name : source.names(folder + "/things")) {
      if (name.ends_with(".td.json")) out.push_back("things/" + name);
    }
  }
  std::sort(out.begin(), out.end());
  return out;
}

// The one exported file that a file from elsewhere is to be held against: by its name.
std::vector<exports::ExportedFile> like(const std::string& path,
                                        const std::vector<exports::ExportedFile>& all) {
  const std::string name = std::filesystem::path(path).filename().string();
  for (const exports::ExportedFile& file : all) {
    if (std::filesystem::path(file.name).filename().string() == name) return {file};
  }
  // under another name: by its ending where only one has it
  std::vector<exports::ExportedFile> found;
  for (const std::string_view ending :
       {".plcopen.xml", ".td.json", ".json", ".csv", ".xlsx", ".st"}) {
    if (!name.ends_with(ending)) continue;
    std::copy_if(all.begin(), all.end(), std::back_inserter(found), [&](const auto& file) {
      return file.name.ends_with(ending) && (ending != ".json" || file.name == "exchange.json");
    });
    break;
  }
  return found.size() == 1 ? found : std::vector<exports::ExportedFile>();
}

// Files of which the same is to be said stand on one line.
void print_comparison(const std::vector<exports::ComparedFile>& compared,
                      const Terminal& terminal) {
  std::size_t same = 0;
  // what is to be said, whether it is harmless, and of which files
  std::vector<std::tuple<std::string, bool, std::vector<std::string>>> said;
  for (const exports::ComparedFile& file : compared) {
    if (gives_the_same(file.state)) ++same;
    if (file.state == exports::FileState::same) continue;
    const std::string what = fmt::format("{}{}{}", to_string(file.state),
                                         file.detail.empty() ? "" : ", ", shown(file.detail));
    auto at = std::find_if(said.begin(), said.end(),
                           [&](const auto& s) { return std::get<0>(s) == what; });
    if (at == said.end()) at = said.insert(said.end(), {what, gives_the_same(file.state), {}});
    std::get<2>(*at).push_back(shown(file.name));
  }
  for (const auto& [what, harmless, names] : said) {
    const std::string list = fmt::format("{}", fmt::join(names, ", "));
    terminal.out << (harmless ? what : tinted(terminal, Tint::red, what)) << ":\n  "
                 << folded(list, 2, 2, terminal.width) << '\n';
  }
  for (const exports::ComparedFile& file : compared) {
    if (file.changes.empty()) continue;
    terminal.out << "from what the plan gives to what is there:\n";
    for (const exports::Change& change : file.changes) {
      terminal.out << fmt::format("  {}\n", shown(to_text(change)));
    }
  }
  terminal.out << fmt::format("{} of {} files are what the plan gives\n", same, compared.size());
}

int compare(const ExportOptions& options, const std::vector<exports::ExportedFile>& made,
            const Terminal& terminal) {
  const files::FileSource source = files::disk_files();
  std::error_code error;
  const std::filesystem::path path(options.compare);
  if (!std::filesystem::exists(path, error)) {
    terminal.err << fmt::format("greymet: {}: there is no such folder or file\n",
                                shown(options.compare));
    return exit_unreachable;
  }
  std::vector<exports::ComparedFile> compared;
  if (std::filesystem::is_directory(path, error)) {
    const exports::FileReader read = [&](const std::string& name) -> std::optional<std::string> {
      auto content = source(options.compare + "/" + name, largest_export);
      return content ? std::optional(std::move(*content)) : std::nullopt;
    };
    compared = exports::compare_files(made, read, present_in(source, options.compare, made));
  } else {
    const auto expected = like(options.compare, made);
    if (expected.empty()) {
      return usage_error(terminal,
                         fmt::format("'{}' has the name of no export of this plan, such as {}",
                                     shown(options.compare), made.front().name));
    }
    auto content = source(options.compare, largest_export);
    if (!content) {
      terminal.err << fmt::format("greymet: {}: {}\n", shown(options.compare),
                                  content.error().message);
      return exit_unreachable;
    }
    compared = exports::compare_files(
        expected, [&](const std::string&) { return std::optional(*content); }, {});
  }
  if (options.format == "csv") {
    terminal.out << files::table_csv(exports::comparison_table(compared));
  } else if (options.format == "json") {
    terminal.out << exports::comparison_json(compared);
  } else {
    print_comparison(compared, terminal);
  }
  const bool same = std::all_of(compared.begin(), compared.end(), [](const auto& file) {
    return exports::gives_the_same(file.state);
  });
  return same ? exit_fine : exit_findings;
}

// Format by format: all of them together take many times the memory of one.
int write_all(const std::vector<exports::Export>& formats, const exports::ExportInput& input,
              const ExportOptions& options, const Terminal& terminal) {
  ResultWriter writer(options.out, options.force, terminal);
  writer.all_or_nothing();
  for (const exports::Export& each : formats) {
    const auto made = each.make(input);
    if (!made) return unreachable_export(terminal, made.error());
    for (const exports::ExportedFile& file : *made) {
      if (!writer.write(file.name, file.content)) return writer.finish();
    }
  }
  if (const int status = writer.finish(); status != exit_fine) return status;
  terminal.out << fmt::format("{} transactions, fingerprint {}\n", input.plan.transactions.size(),
                              input.fingerprint);
  const bool has_program = std::any_of(formats.begin(), formats.end(), [](const auto& each) {
    return each.name == "st" || each.name == "plcopen";
  });
  if (has_program) {
    terminal.out
        << "The programs put nothing into memory until they are told to (`send_values`).\n";
  }
  return exit_fine;
}

}  // namespace

int run_export(const ExportOptions& options, const Terminal& terminal) {
  const auto formats = chosen(options.only);
  if (!formats) return usage_error(terminal, formats.error());
  const int ways = static_cast<int>(!options.out.empty()) +
                   static_cast<int>(!options.compare.empty()) + static_cast<int>(options.print);
  if (ways != 1) {
    return usage_error(terminal, "export takes one of --out DIR, --compare PATH and --print");
  }
  const UsablePlan usable = load_usable_plan(options.plan, terminal, {}, options.beside);
  if (usable.refused) return *usable.refused;
  if (const auto refused = refuse_errors(usable, "exported", terminal)) return *refused;
  const Handover handover = handover_of(usable);
  if (const auto refused = refuse_too_many(handover.points, terminal)) return *refused;
  const exports::ExportInput input = handover.input();
  if (!options.out.empty()) return write_all(*formats, input, options, terminal);
  const auto made = make_all(*formats, input);
  if (!made) return unreachable_export(terminal, made.error());
  if (options.print) {
    if (made->size() != 1) {
      return usage_error(terminal, "--print takes one format of one file: --only json or csv");
    }
    terminal.out << made->front().content;
    return exit_fine;
  }
  return compare(options, *made, terminal);
}

Action declare_export(CLI::App& command, const Terminal& terminal) {
  const auto options = std::make_shared<ExportOptions>();
  command.add_option("PLAN", options->plan, plan_help)->required();
  std::string formats;
  for (const exports::Export& each : exports::all_exports()) {
    formats += fmt::format("{}{}", formats.empty() ? "" : ", ", each.name);
  }
  command
      .add_option("--only", options->only,
                  fmt::format("formats to write: {}; all if left out", formats))
      ->delimiter(',')
      ->type_name("LIST");
  command
      .add_option(
          "--compare", options->compare,
          "instead of writing: say whether this folder, or file from site, is what the plan "
          "gives")
      ->type_name("PATH");
  command.add_flag("--print", options->print, "instead of writing: print the one format of --only");
  command.add_option("--beside", options->beside, beside_help)->type_name("DIR");
  add_format(command, options->format, {csv_format});
  add_output(command, options->out, options->force, false);
  return [options, &terminal] { return run_export(*options, terminal); };
}

}  // namespace greymet::cli
