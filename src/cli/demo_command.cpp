#include <fmt/format.h>

#include "cli/commands.h"
#include "cli/embedded_examples.h"
#include "cli/print.h"
#include "files/output_folder.h"

namespace greymet::cli {
namespace {

void announce(const Terminal& terminal, std::string_view what, std::string_view command) {
  terminal.out << fmt::format("\n{}\n{}\n\n",
                              tinted(terminal, Tint::bold, fmt::format("== {}", what)),
                              tinted(terminal, Tint::dim, fmt::format("   $ greymet {}", command)));
}

CheckOptions check_of(const std::string& plan) {
  CheckOptions options;
  options.plan = plan;
  return options;
}

}  // namespace

int run_demo(const DemoOptions& options, const Terminal& terminal) {
  auto folder = files::OutputFolder::open(options.folder, options.force);
  if (!folder) {
    terminal.err << fmt::format("greymet: {}\n", folder.error().message);
    return exit_unreachable;
  }
  for (const EmbeddedFile& file : embedded_examples()) {
    const auto done = folder->write(std::string(file.name), file.content);
    if (!done) {
      terminal.err << fmt::format("greymet: {}\n", done.error().message);
      return exit_unreachable;
    }
  }
  const std::string& dir = options.folder;
  const std::string clean = dir + "/maltings.toml";
  const std::string draft = dir + "/draft.toml";
  const std::string results = dir + "/results";
  terminal.out << fmt::format("A maltings in {}: {} files, the plan is maltings.toml.\n", dir,
                              embedded_examples().size());

  announce(terminal, "1. The plan as somebody typed it on a bad day",
           fmt::format("check {}", draft));
  const int draft_status = run_check(check_of(draft), terminal);
  announce(terminal, "2. The same plan, corrected", fmt::format("check {}", clean));
  const int clean_status = run_check(check_of(clean), terminal);
  announce(terminal, "3. Why, and how to do it right", "explain F13");
  ExplainOptions explained;
  explained.code = "F13";
  const int explain_status = run_explain(explained, terminal);
  announce(terminal, "4. What a number in a manual may mean, and which point lies there",
           fmt::format("address 1011h 44114 --plan {} --slave burner", clean));
  AddressOptions address;
  address.texts = {"1011h", "44114"};
  address.plan = clean;
  address.slave = "burner";
  const int address_status = run_address(address, terminal);
  announce(terminal, "5. Two registers that the gauge's own display shows as 17.4",
           "value CCCD 418B --type f32 --near 17.4");
  ValueOptions value;
  value.words = {"CCCD", "418B"};
  value.type = "f32";
  value.near = "17.4";
  const int value_status = run_value(value, terminal);
  announce(terminal, "6. A request and its reply, byte by byte",
           fmt::format("frame {} burner-release", clean));
  FrameOptions frame;
  frame.plan = clean;
  frame.name = "burner-release";
  const int frame_status = run_frame(frame, terminal);
  announce(terminal, "7. What lies where in the load-out controller",
           fmt::format("memory {} loadout -o {}", clean, results));
  MemoryOptions memory;
  memory.plan = clean;
  memory.name = "loadout";
  memory.out = results;
  memory.force = options.force;
  const int memory_status = run_memory(memory, terminal);
  announce(terminal, "8. Does it fit? Every line and connection, bounds beside simulation",
           fmt::format("timing {} -o {}", clean, results));
  TimingOptions timing;
  timing.plan = clean;
  timing.out = results;
  timing.force = options.force;
  const int timing_status = run_timing(timing, terminal);
  announce(terminal, "9. The exchange for download",
           fmt::format("export {} -o {}", clean, results));
  ExportOptions exported;
  exported.plan = clean;
  exported.out = results;
  exported.force = options.force;
  const int export_status = run_export(exported, terminal);
  terminal.out << fmt::format("\nResults and figures are in {}. Now edit {} and check it again.\n",
                              results, draft);
  // The draft must fail and all else succeed, or the demo does not show what it says.
  if (draft_status != exit_findings)
    return draft_status == exit_fine ? exit_findings : draft_status;
  return std::max({clean_status, explain_status, address_status, value_status, frame_status,
                   memory_status, timing_status, export_status});
}

}  // namespace greymet::cli
