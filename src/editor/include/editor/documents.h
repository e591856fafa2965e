// The texts that an editor has open.
#pragma once

#include <cstdint>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "editor/reading.h"
#include "editor/text_position.h"

namespace greymet::editor {

// One open text. One that grew beyond what is read at all is not kept.
struct Document {
  std::string uri;
  std::string text;
  std::int64_t version = 0;
  std::uint64_t opening = 0;
  bool is_too_large = false;
};

// A change: of a stretch, or of the whole text where there is none.
struct TextChange {
  std::optional<TextStretch> stretch;
  std::string text;
};

// By path. Not for several threads.
class Documents {
 public:
  static constexpr std::size_t largest = files::largest_plan;

  void open(const std::string& path, const std::string& uri, std::int64_t version,
            std::string text);
  // In their order; false where no such text is open.
  bool change(const std::string& path, std::int64_t version, const std::vector<TextChange>& changes,
              PositionUnits units);
  void close(const std::string& path);

  [[nodiscard]] const Document* find(const std::string& path) const;
  [[nodiscard]] const std::map<std::string, Document>& all() const { return documents_; }
  // Copies of all, made once for each state.
  [[nodiscard]] std::shared_ptr<const Texts> texts();
  [[nodiscard]] Versions versions() const;
  // Counts the states.
  [[nodiscard]] std::uint64_t state() const { return state_; }
  // What stands on the disk has changed.
  void touch() { ++state_; }

 private:
  void keep(Document& document) const;

  std::map<std::string, Document> documents_;
  std::uint64_t state_ = 1;
  std::uint64_t openings_ = 0;
  std::uint64_t state_of_texts_ = 0;
  std::shared_ptr<const Texts> texts_;
};

}  // namespace greymet::editor
