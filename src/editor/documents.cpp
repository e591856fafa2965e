#include "editor/documents.h"

#include <algorithm>

namespace greymet::editor {

void Documents::keep(Document& document) const {
  if (document.text.size() <= largest) return;
  document.is_too_large = true;
  std::string().swap(document.text);
}

void Documents::open(const std::string& path, const std::string& uri, std::int64_t version,
                     std::string text) {
  Document document{uri, std::move(text), version, ++openings_, false};
  keep(document);
  documents_[path] = std::move(document);
  ++state_;
}

bool Documents::change(const std::string& path, std::int64_t version,
                       const std::vector<TextChange>& changes, PositionUnits units) {
  const auto at = documents_.find(path);
  if (at == documents_.end()) return false;
  Document& document = at->second;
  document.version = version;
  ++state_;
  for (const TextChange& change : changes) {
    if (!change.stretch) {
      document.text = change.text;
      document.is_too_large = false;
    } else if (!document.is_too_large) {
      const std::size_t begin = byte_of(document.text, change.stretch->begin, units);
      const std::size_t end = byte_of(document.text, change.stretch->end, units);
      document.text.replace(begin, std::max(begin, end) - begin, change.text);
    }
    keep(document);
  }
  return true;
}

void Documents::close(const std::string& path) {
  if (documents_.erase(path) > 0) ++state_;
}

const Document* Documents::find(const std::string& path) const {
  const auto at = documents_.find(path);
  return at == documents_.end() ? nullptr : &at->second;
}

Versions Documents::versions() const {
  Versions out;
  for (const auto& [path, document] : documents_) out[path] = {document.opening, document.version};
  return out;
}

std::shared_ptr<const Texts> Documents::texts() {
  if (texts_ && state_of_texts_ == state_) return texts_;
  const auto copies = std::make_shared<Texts>();
  for (const auto& [path, document] : documents_) {
    // what is not kept is no empty text: the limit is said of it
    (*copies)[path] = document.is_too_large ? std::string(largest + 1, ' ') : document.text;
  }
  texts_ = copies;
  state_of_texts_ = state_;
  return texts_;
}

}  // namespace greymet::editor
