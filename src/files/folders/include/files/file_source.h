// Where files are read from: the disk, or memory in tests.
#pragma once

#include <cstddef>
#include <functional>
#include <map>
#include <string>
#include <string_view>
#include <tl/expected.hpp>
#include <vector>

namespace greymet::files {

// Why a file could not be read; `message` is ready to be shown behind the file's name.
struct FileError {
  std::string message;
};

// What the operating system said of `path`; `error` as in errno.
[[nodiscard]] tl::unexpected<FileError> system_failure(const std::string& path, int error);

using FileContent = tl::expected<std::string, FileError>;

// Where files come from. `read` reads a whole file, given by path, and must refuse more than
// `limit` bytes; `names` lists what stands in a folder ("" for the one worked in), some thousand at
// most, and nothing where there is no such folder.
struct FileSource {
  std::function<FileContent(const std::string& path, std::size_t limit)> read;
  std::function<std::vector<std::string>(const std::string& folder)> names;
  // False where links lead a path of the folder out of it; nothing where there are no links.
  std::function<bool(const std::string& folder, const std::string& path)> is_within = {};

  [[nodiscard]] FileContent operator()(const std::string& path, std::size_t limit) const {
    return read(path, limit);
  }
};

// Largest plan and largest register map that are read.
inline constexpr std::size_t largest_plan = std::size_t{16} << 20;
// Most entries of one list, most things of one kind, and most rows of a CSV file: an entry of three
// bytes becomes a transaction of kilobytes.
inline constexpr std::size_t most_rows = 65'536;
inline constexpr std::size_t most_cells = 1'000'000;  // of a CSV file
// Most findings that reading keeps.
inline constexpr std::size_t most_findings_of_reading = 10'000;
inline constexpr std::size_t largest_map = std::size_t{8} << 20;

// Regular files of the disk; directories, pipes and devices are refused.
[[nodiscard]] FileSource disk_files();
// All of an open regular file, from its begin, and at most `limit` bytes of it.
[[nodiscard]] FileContent read_descriptor(int fd, std::size_t limit);
// Writes all of it and waits until it is on the disk. `path` is for the message.
[[nodiscard]] tl::expected<void, FileError> write_descriptor(int fd, std::string_view content,
                                                             const std::string& path);
// `files`, but for those paths that stand in `texts`.
[[nodiscard]] FileSource with_texts(FileSource files, std::map<std::string, std::string> texts);
// `files`; what stands not beside `plan`, in whose folder it is looked for, is looked for in
// `folder`.
[[nodiscard]] FileSource or_beside(const FileSource& files, const std::string& plan,
                                   const std::string& folder);
// Files held in memory.
[[nodiscard]] FileSource memory_files(std::map<std::string, std::string> files);

}  // namespace greymet::files
