// Writing results and figures into the folder of -o.
#pragma once

#include <functional>
#include <map>
#include <optional>
#include <string>
#include <string_view>

#include "cli/terminal.h"
#include "figures/gnuplot.h"
#include "files/output_folder.h"

namespace greymet::cli {

// Writes one result after the other and says where; after the first failure, which it reports, it
// does nothing more. Holds a reference: the terminal must outlive it.
class ResultWriter {
 public:
  ResultWriter(const std::string& folder, bool force, const Terminal& terminal);

  void write(const std::string& name, std::string_view content);
  // Draws a figure as SVG and PNG. Names of things become names of files; a name that was used
  // already gets a number.
  void draw(std::string_view name,
            const std::function<std::string(figures::PictureFormat)>& script);
  // exit_fine, or exit_unreachable after a failure.
  [[nodiscard]] int status() const;

 private:
  void fail(std::string_view message);

  const Terminal& terminal_;
  std::optional<files::OutputFolder> folder_;
  std::map<std::string, int> used_;
};

}  // namespace greymet::cli
