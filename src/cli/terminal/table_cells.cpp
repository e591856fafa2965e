#include "cli/table_cells.h"

#include <fmt/format.h>

#include "cli/terminal.h"
#include "model/duration_text.h"
#include "model/utf8_text.h"

namespace greymet::cli {

std::string ms_cell(const std::optional<std::chrono::nanoseconds>& d, std::size_t width) {
  if (!d) return fmt::format("{:>{}}", "-", width);
  const double ms = model::to_ms(*d);
  if (ms >= 1e7) return fmt::format("{:>{}.2g}", ms, width);
  return fmt::format("{:>{}.{}f}", ms, width, ms < 1000 ? 2 : ms < 100'000 ? 1 : 0);
}

std::string name_cell(const std::string& text, std::size_t width) {
  const std::string name = model::shortened(shown(text), width);
  return name + std::string(width - model::code_points(name), ' ');
}

std::string heading(const Terminal& terminal, std::string_view title, const std::string& columns) {
  return tinted(terminal, Tint::bold, title) + "\n" + tinted(terminal, Tint::dim, columns) + "\n";
}

}  // namespace greymet::cli
