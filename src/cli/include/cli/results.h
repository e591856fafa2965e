// Writing results and figures into the folder of -o.
#pragma once

#include <functional>
#include <map>
#include <optional>
#include <string>
#include <string_view>

#include "cli/commands.h"
#include "cli/terminal.h"
#include "figures/gnuplot.h"
#include "files/output_folder.h"

namespace greymet::cli {

// Writes one result after the other and says where; after the first failure, which it reports, it
// does nothing more.
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

  Terminal terminal_;
  std::optional<files::OutputFolder> folder_;
  std::map<std::string, int> used_;
};

// Prints a result, as text for the terminal or as its one JSON document, and writes it into the
// folder of -o as NAME.json and NAME.txt. What comes back takes further results and figures;
// nothing where no folder was asked for. `document` is only made where it is needed.
[[nodiscard]] std::optional<ResultWriter> print_results(
    const OutputOptions& output, const std::string& name,
    const std::function<std::string()>& document,
    const std::function<std::string(const Terminal&)>& text, const Terminal& terminal);

// Where to say what was written: with JSON stdout holds one document alone, so it is stderr.
[[nodiscard]] Terminal told_on(const OutputOptions& output, const Terminal& terminal);

}  // namespace greymet::cli
