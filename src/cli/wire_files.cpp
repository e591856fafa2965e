#include "cli/wire_files.h"

namespace greymet::cli {

void print_table_findings(const std::string& path, const model::Findings& findings,
                          const Terminal& terminal) {
  constexpr std::size_t most = 20;
  for (std::size_t i = 0; i < findings.size() && i < most; ++i) {
    const model::Finding& f = findings[i];
    terminal.err << fmt::format("{}:{}:{}: error: {}\n", shown(path), f.place.line, f.place.column,
                                shown(f.message));
    std::string remedy = f.remedy;
    if (remedy.empty() && !f.fixes.empty()) {
      remedy = fmt::format("write {}", f.fixes.front().edits.front().text);
    }
    if (!remedy.empty()) terminal.err << fmt::format("       = remedy: {}\n", shown(remedy));
  }
  if (findings.size() > most) {
    terminal.err << fmt::format("greymet: and {} more\n", findings.size() - most);
  }
}

}  // namespace greymet::cli
