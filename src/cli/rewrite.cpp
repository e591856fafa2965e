#include "cli/rewrite.h"

#include <algorithm>

#include <fmt/format.h>

#include "cli/commands.h"
#include "files/folder.h"

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
    terminal.out << shown_lines(files::unified_diff(file.name, file.before, file.after), terminal);
  }
}

int write_files(const std::vector<files::ChangedFile>& changed, const Terminal& terminal) {
  for (std::size_t i = 0; i < changed.size(); ++i) {
    const auto& [name, before, after] = changed[i];
    const auto written = files::rewrite_file(name, before, after);
    if (written) continue;
    terminal.err << fmt::format("greymet: {}\n", shown(written.error().message));
    for (std::size_t k = 0; k < i; ++k) {
      const auto undone = files::rewrite_file(changed[k].name, changed[k].after, changed[k].before);
      if (!undone) terminal.err << fmt::format("greymet: {}\n", shown(undone.error().message));
    }
    terminal.err << "greymet: nothing was changed\n";
    return exit_unreachable;
  }
  for (const files::ChangedFile& file : changed) {
    terminal.out << fmt::format("wrote {}\n", shown(file.name));
  }
  return exit_fine;
}

}  // namespace greymet::cli
