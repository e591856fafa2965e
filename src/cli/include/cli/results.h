// Writing results and figures into the folder of -o.
#pragma once

#include <functional>
#include <optional>
#include <set>
#include <string>
#include <string_view>
#include <vector>

#include "cli/commands.h"
#include "cli/terminal.h"
#include "figures/gnuplot_process.h"
#include "files/output_folder.h"
#include "tables/table.h"

namespace greymet::cli {

// Writes one result after the other and says where. After a file that cannot be written, which it
// reports, it writes nothing more; a figure that cannot be drawn keeps no other from being drawn.
class ResultWriter {
 public:
  ResultWriter(const std::string& folder, bool force, const Terminal& terminal);

  // From now on what is written appears together, when finish() has all of it; or not at all.
  void all_or_nothing() { together_ = true; }
  // True if it was written.
  bool write(const std::string& name, std::string_view content);
  // A figure as SVG and PNG, drawn by finish(). Names of things become names of files; a name that
  // was used already gets a number.
  void draw(std::string_view name,
            const std::function<std::string(figures::PictureFormat)>& script);
  // Draws and writes the figures. exit_fine, or exit_unreachable after any failure.
  [[nodiscard]] int finish();

 private:
  struct Waiting {
    std::string file;
    figures::Script script;
  };
  void fail(std::string_view message);
  std::string free_name(std::string_view name);

  Terminal terminal_;
  std::optional<files::OutputFolder> folder_;
  std::set<std::string> used_;  // in small letters
  std::vector<Waiting> waiting_;
  bool failed_ = false;
  bool together_ = false;
  std::string said_;  // of what has not appeared yet
};

// What a command has found out, in every form; each is only made where it is needed.
struct Result {
  std::string name;                       // of the files
  std::function<std::string()> document;  // JSON
  std::function<std::string(const Terminal&)> text;
  std::function<std::vector<tables::Table>()> tables = {};  // the first is what CSV prints
};

// Prints a result, as text for the terminal, as its one JSON document or as its first table in CSV,
// and writes it into the folder of -o as NAME.json and NAME.txt, with each table that has rows as a
// CSV of its name. What comes back takes further results and figures; nothing where no folder was
// asked for.
[[nodiscard]] std::optional<ResultWriter> print_results(const OutputOptions& output,
                                                        const Result& result,
                                                        const Terminal& terminal);

// Where to say what was written: where stdout holds one document alone it is stderr.
[[nodiscard]] Terminal told_on(const OutputOptions& output, const Terminal& terminal);

}  // namespace greymet::cli
