#include "cli/results.h"

#include <fmt/format.h>

namespace greymet::cli {
namespace {

// Names of lines and slaves become names of files.
std::string file_name(std::string_view name) {
  std::string out;
  for (char c : name) {
    const bool plain = (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') ||
                       c == '-' || c == '_';
    if (plain) {
      out += c;
    } else if (!out.empty() && out.back() != '-') {
      out += '-';
    }
  }
  while (out.ends_with('-')) out.pop_back();
  return out.empty() ? "result" : out;
}

}  // namespace

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
  terminal_.err << fmt::format("greymet: {}\n", printable(message));
  folder_.reset();
}

void ResultWriter::write(const std::string& name, std::string_view content) {
  if (!folder_) return;
  const auto done = folder_->write(name, content);
  if (!done) {
    fail(done.error().message);
    return;
  }
  terminal_.out << fmt::format("wrote {}/{}\n", folder_->path(), name);
}

void ResultWriter::draw(std::string_view name,
                        const std::function<std::string(figures::PictureFormat)>& script) {
  std::string file = file_name(name);
  const int same = ++used_[file];
  if (same > 1) file += fmt::format("-{}", same);
  for (const auto format : {figures::PictureFormat::svg, figures::PictureFormat::png}) {
    if (!folder_) return;
    const auto picture = figures::render(script(format));
    if (!picture) {
      fail(fmt::format("{}: {}", file, picture.error()));
      return;
    }
    write(file + std::string(figures::extension(format)), *picture);
  }
}

int ResultWriter::status() const {
  return folder_ ? exit_fine : exit_unreachable;
}

Terminal told_on(const OutputOptions& output, const Terminal& terminal) {
  const bool json = output.format == "json";
  return plain_terminal(json ? terminal.err : terminal.out, terminal.err, terminal.width);
}

std::optional<ResultWriter> print_results(const OutputOptions& output, const std::string& name,
                                          const std::function<std::string()>& document,
                                          const std::function<std::string(const Terminal&)>& text,
                                          const Terminal& terminal) {
  constexpr std::size_t width_of_files = 100;
  const bool json = output.format == "json";
  const std::string made = json || !output.out.empty() ? document() : std::string();
  terminal.out << (json ? made : text(terminal));
  if (output.out.empty()) return std::nullopt;
  ResultWriter writer(output.out, output.force, told_on(output, terminal));
  writer.write(name + ".json", made);
  writer.write(name + ".txt", text(plain_terminal(terminal.out, terminal.err, width_of_files)));
  return writer;
}

}  // namespace greymet::cli
