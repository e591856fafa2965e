#include "cli/rewrite.h"

#include <algorithm>

#include <fmt/format.h>

#include "cli/commands.h"
#include "files/cures.h"

namespace greymet::cli {
namespace {

// Each line as it may be shown.
std::string shown_lines(std::string_view text, const Terminal& terminal) {
  std::string out;
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t end = std::min(text.find('\n', at), text.size());
    std::string_view line = text.substr(at, end - at);
    if (line.ends_with('\r')) line.remove_suffix(1);
    const Tint tint = line.starts_with("+++") || line.starts_with("---") ? Tint::bold
                      : line.starts_with('+')                            ? Tint::green
                      : line.starts_with('-')                            ? Tint::red
                                                                         : Tint::none;
    out += tinted(terminal, tint, shown(line)) + '\n';
    at = end + 1;
  }
  return out;
}

}  // namespace

void print_changes(const std::vector<files::ChangedFile>& changed, const Terminal& terminal) {
  for (const files::ChangedFile& file : changed) {
    terminal.out << shown_lines(
        files::unified_diff(file.name, file.before.value_or(""), file.after), terminal);
  }
}

int write_files(const std::string& plan, const std::vector<files::ChangedFile>& changed,
                const Terminal& terminal) {
  const auto written = files::rewrite_files(files::folder_of_plan(plan), changed);
  if (!written) {
    terminal.err << fmt::format("greymet: {}\ngreymet: nothing was changed\n",
                                shown(written.error().message));
    return exit_unreachable;
  }
  for (const files::ChangedFile& file : changed) {
    terminal.out << fmt::format("wrote {}\n", shown(file.name));
  }
  return exit_fine;
}

void mend(const std::string& plan, const Terminal& terminal) {
  const auto mended = files::mend_interrupted(files::folder_of_plan(plan));
  if (!mended) return;
  const auto say = [&](const std::vector<std::string>& names, std::string_view what) {
    for (const std::string& name : names) {
      terminal.err << fmt::format("greymet: {}: {}\n", shown(name), what);
    }
  };
  say(mended->restored, "a run that was interrupted while it wrote has been undone here");
  say(mended->left,
      "a run was interrupted while it wrote, and somebody has changed this file since: it is left "
      "as it is; what stood in it is in .greymet-journal.left");
}

}  // namespace greymet::cli
