#include "cli/results.h"

#include <algorithm>
#include <cctype>

#include <fmt/format.h>

#include "files/table_csv.h"
#include "model/file_name.h"

namespace greymet::cli {
ResultWriter::ResultWriter(const std::string& folder, bool force, const Terminal& terminal)
    : terminal_(terminal) {
  auto opened = files::OutputFolder::open(folder, force);
  if (opened) {
    folder_ = std::move(*opened);
  } else {
    fail(opened.error().message);
  }
}

void ResultWriter::fail(std::string_view message) {
  terminal_.err << fmt::format("greymet: {}\n", shown(message));
  failed_ = true;
}

bool ResultWriter::write(const std::string& name, std::string_view content) {
  if (!folder_) return false;
  const auto done = together_ ? folder_->stage(name, content) : folder_->write(name, content);
  if (!done) {
    fail(done.error().message);
    folder_.reset();
    return false;
  }
  const std::string said = fmt::format("wrote {}/{}\n", shown(folder_->path()), shown(name));
  if (together_) {
    said_ += said;
  } else {
    terminal_.out << said;
  }
  return true;
}

std::string ResultWriter::free_name(std::string_view name) {
  const std::string wanted = model::file_name_of(name);
  std::string file = wanted;
  const auto small = [](std::string text) {
    std::transform(text.begin(), text.end(), text.begin(),
                   [](unsigned char c) { return std::tolower(c); });
    return text;
  };
  for (int same = 2; !used_.insert(small(file)).second; ++same) {
    file = fmt::format("{}-{}", wanted, same);
  }
  return file;
}

void ResultWriter::draw(std::string_view name,
                        const std::function<std::string(figures::PictureFormat)>& script) {
  if (!folder_) return;
  const std::string file = free_name(name);
  for (const auto format : {figures::PictureFormat::svg, figures::PictureFormat::png}) {
    waiting_.push_back({file + std::string(figures::extension(format)), {format, script(format)}});
  }
}

int ResultWriter::finish() {
  std::vector<figures::Script> scripts;
  scripts.reserve(waiting_.size());
  for (Waiting& each : waiting_) scripts.push_back(std::move(each.script));
  std::vector<figures::Picture> pictures;
  {
    ProgressBar bar(terminal_, "drawing");
    pictures = figures::render(scripts, bar.sink());
  }
  for (std::size_t i = 0; i < pictures.size(); ++i) {
    if (!pictures[i]) {
      fail(fmt::format("{}: {}", waiting_[i].file, pictures[i].error()));
    } else if (!write(waiting_[i].file, *pictures[i])) {
      break;
    }
  }
  waiting_.clear();
  if (together_ && folder_ && !failed_) {
    if (const auto done = folder_->commit(); !done) fail(done.error().message);
    if (!failed_) terminal_.out << said_;
  }
  return failed_ ? exit_unreachable : exit_fine;
}

Terminal told_on(const OutputOptions& output, const Terminal& terminal) {
  const bool document = output.format != "text";
  Terminal plain =
      plain_terminal(document ? terminal.err : terminal.out, terminal.err, terminal.width);
  plain.progress = terminal.progress;
  return plain;
}

std::optional<ResultWriter> print_results(const OutputOptions& output, const Result& result,
                                          const Terminal& terminal) {
  constexpr std::size_t width_of_files = 100;
  const bool stored = !output.out.empty();
  const bool json = output.format == "json";
  const bool csv = output.format == "csv";
  const std::string document = json || stored ? result.document() : std::string();
  std::vector<tables::Table> tables;
  if (result.tables && (csv || stored)) tables = result.tables();
  terminal.out << (json  ? document
                   : csv ? files::table_csv(tables.front())
                         : result.text(terminal));
  if (!stored) return std::nullopt;
  ResultWriter writer(output.out, output.force, told_on(output, terminal));
  writer.write(result.name + ".json", document);
  writer.write(result.name + ".txt",
               result.text(plain_terminal(terminal.out, terminal.err, width_of_files)));
  for (const tables::Table& table : tables) {
    if (table.rows.empty() && &table != tables.data()) continue;
    writer.write(std::string(table.name) + ".csv", files::table_csv(table));
  }
  return writer;
}

}  // namespace greymet::cli
