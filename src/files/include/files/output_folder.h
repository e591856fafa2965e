// A folder that results go to: each file is complete or absent, and nothing that greymet did not
// write is overwritten.
#pragma once

#include <map>
#include <string>
#include <string_view>
#include <tl/expected.hpp>

#include "files/file_source.h"

namespace greymet::files {

// Remembers in `.greymet-files` which files it wrote, with their SHA-256, so that a file somebody
// changed by hand is left alone as well. One object a folder and run; not for several threads.
class OutputFolder {
 public:
  // Makes the folder if needed. With `force` anything may be overwritten.
  [[nodiscard]] static tl::expected<OutputFolder, FileError> open(const std::string& path,
                                                                  bool force);
  // Writes one file; `name` may lead into sub-folders. The message names the file.
  [[nodiscard]] tl::expected<void, FileError> write(const std::string& name,
                                                    std::string_view content);
  [[nodiscard]] const std::string& path() const { return path_; }

 private:
  OutputFolder(std::string path, bool force) : path_(std::move(path)), force_(force) {}
  [[nodiscard]] tl::expected<void, FileError> save_manifest() const;

  std::string path_;
  bool force_;
  std::map<std::string, std::string> written_;  // name -> SHA-256
};

// Replaces a file that exists, as a whole or not at all; its permissions stay, and of a link the
// file it leads to is replaced.
[[nodiscard]] tl::expected<void, FileError> rewrite_file(const std::string& path,
                                                         std::string_view content);

// SHA-256 in hexadecimal.
[[nodiscard]] std::string sha256_hex(std::string_view content);

}  // namespace greymet::files
