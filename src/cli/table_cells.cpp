#include "cli/table_cells.h"

#include <fmt/format.h>

#include "cli/terminal.h"
#include "model/duration_text.h"

namespace greymet::cli {

std::string ms_cell(const std::optional<std::chrono::nanoseconds>& d, std::size_t width) {
  if (!d) return fmt::format("{:>{}}", "-", width);
  const double ms = model::to_ms(*d);
  if (ms >= 1e7) return fmt::format("{:>{}.3g}", ms, width);
  return fmt::format("{:>{}.{}f}", ms, width, ms < 1000 ? 2 : ms < 100'000 ? 1 : 0);
}

std::string name_cell(const std::string& text, std::size_t width) {
  const std::string name = printable(text);
  std::size_t columns = 0;
  std::size_t cut = name.size();
  std::size_t before_last = 0;
  for (std::size_t i = 0; i < name.size(); ++i) {
    if ((static_cast<unsigned char>(name[i]) & 0xC0U) == 0x80) continue;
    if (columns == width - 1) before_last = i;
    if (columns == width) {
      cut = before_last;
      break;
    }
    ++columns;
  }
  if (cut < name.size()) return name.substr(0, cut) + "~";
  return name + std::string(width - columns, ' ');
}

}  // namespace greymet::cli
