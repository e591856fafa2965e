// Tables in the habits of makers, each with the map that a careful person would write of it.
#pragma once

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <sstream>
#include <string>
#include <vector>

#include "files/map_import.h"
#include "files/map_reader.h"

namespace greymet::test {

inline std::string whole_file(const std::filesystem::path& path) {
  std::ifstream in(path, std::ios::binary);
  std::ostringstream out;
  out << in.rdbuf();
  return out.str();
}

// A table, what it should become, and the answers that only a person can give.
struct CorpusTable {
  std::string name;
  std::string content;
  std::string expected;
  files::Readings answers;
};

inline std::vector<CorpusTable> corpus_in(const std::filesystem::path& folder) {
  std::vector<CorpusTable> out;
  for (const auto& entry : std::filesystem::directory_iterator(folder)) {
    const std::filesystem::path& path = entry.path();
    const std::string name = path.filename().string();
    if (name.ends_with(".expected.csv") || name.ends_with(".answers")) continue;
    CorpusTable table{name, whole_file(path), {}, {}};
    const std::filesystem::path stem = folder / path.stem();
    table.expected = whole_file(stem.string() + ".expected.csv");
    std::istringstream answers(whole_file(stem.string() + ".answers"));
    for (std::string line; std::getline(answers, line);) {
      const std::size_t equals = line.find('=');
      if (equals != std::string::npos)
        table.answers[line.substr(0, equals)] = line.substr(equals + 1);
    }
    out.push_back(std::move(table));
  }
  std::sort(out.begin(), out.end(), [](const auto& a, const auto& b) { return a.name < b.name; });
  return out;
}

// What matters of every point of a map, one a line; findings of reading it come first.
inline std::string points_of(const std::string& csv, const std::optional<std::string>& numbering) {
  model::Findings findings;
  const auto way = numbering == "reference" ? model::Numbering::reference
                   : numbering == "from-1"  ? model::Numbering::from_1
                                            : model::Numbering::from_0;
  const model::RegisterMap map = files::read_map(csv, "map.csv", 0, way, {}, findings);
  std::ostringstream out;
  for (const auto& finding : findings) out << "! " << finding.message << "\n";
  for (const model::Point& p : map.points()) {
    out << p.name << " " << to_text(p.address) << " " << to_text(p.type) << " bit "
        << (p.bit ? std::to_string(*p.bit) : "-") << " order "
        << (p.word_order ? to_string(*p.word_order) : "-") << " x " << p.factor << " + " << p.offset
        << " unit '" << p.unit << "' " << (p.min ? std::to_string(*p.min) : "-") << " to "
        << (p.max ? std::to_string(*p.max) : "-") << " access " << static_cast<int>(p.access) << " "
        << names_text(p.names) << "\n";
  }
  return out.str();
}

}  // namespace greymet::test
