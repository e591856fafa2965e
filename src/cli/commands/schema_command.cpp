#include <memory>

#include <fmt/format.h>

#include "cli/results.h"
#include "cli/word_book.h"
#include "files/plan_schema.h"
#include "line/command_line.h"

namespace greymet::cli {

int run_schema(const OutputOptions& options, const Terminal& terminal) {
  const std::string schema = files::plan_schema(
      [](std::string_view path, std::string_view key) { return key_help(path, key); });
  if (options.out.empty()) {
    terminal.out << schema;
    return exit_fine;
  }
  ResultWriter writer(options.out, options.force, terminal);
  writer.write("plan.schema.json", schema);
  return writer.finish();
}

Action declare_schema(CLI::App& command, const Terminal& terminal) {
  const auto options = std::make_shared<OutputOptions>();
  add_output(command, options->out, options->force, false);
  return [options, &terminal] { return run_schema(*options, terminal); };
}

}  // namespace greymet::cli
