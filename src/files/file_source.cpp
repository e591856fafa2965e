#include "files/file_source.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <utility>

#include <fmt/format.h>

#include "files/folder.h"

namespace greymet::files {
namespace {

tl::unexpected<FileError> refuse(std::string message) {
  return tl::unexpected(FileError{std::move(message)});
}

FileContent read_from_disk(const std::string& path, std::size_t limit) {
  if (path.find('\0') != std::string::npos) return refuse("a path cannot hold a NUL");
  // O_NONBLOCK: opening a pipe must not wait for somebody to write into it.
  const Descriptor file(::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK));
  if (file.get() < 0) return refuse(std::strerror(errno));
  return read_descriptor(file.get(), limit);
}

}  // namespace

FileContent read_descriptor(int fd, std::size_t limit) {
  struct stat status {};
  if (::fstat(fd, &status) != 0) return refuse(std::strerror(errno));
  if (S_ISDIR(status.st_mode)) return refuse("is a directory");
  if (!S_ISREG(status.st_mode)) return refuse("is not a regular file");
  if (static_cast<std::size_t>(status.st_size) > limit) {
    return refuse(fmt::format("is larger than {} MB", limit >> 20));
  }
  std::string text(static_cast<std::size_t>(status.st_size), '\0');
  std::size_t got = 0;
  while (got < text.size()) {
    const ssize_t n = ::pread(fd, text.data() + got, text.size() - got, static_cast<off_t>(got));
    if (n < 0 && errno == EINTR) continue;
    if (n < 0) return refuse(std::strerror(errno));
    if (n == 0) break;
    got += static_cast<std::size_t>(n);
  }
  text.resize(got);
  return text;
}

tl::unexpected<FileError> system_failure(const std::string& path, int error) {
  return tl::unexpected(FileError{fmt::format("{}: {}", path, std::strerror(error))});
}

tl::expected<void, FileError> write_descriptor(int fd, std::string_view content,
                                               const std::string& path) {
  while (!content.empty()) {
    const ssize_t n = ::write(fd, content.data(), content.size());
    if (n < 0 && errno == EINTR) continue;
    if (n < 0) return system_failure(path, errno);
    content.remove_prefix(static_cast<std::size_t>(n));
  }
  if (::fsync(fd) != 0 && errno != EINVAL) return system_failure(path, errno);
  return {};
}

FileSource disk_files() {
  return read_from_disk;
}

FileSource memory_files(std::map<std::string, std::string> files) {
  return [files = std::move(files)](const std::string& path, std::size_t limit) -> FileContent {
    const auto found = files.find(path);
    if (found == files.end()) return refuse("No such file or directory");
    if (found->second.size() > limit)
      return refuse(fmt::format("is larger than {} MB", limit >> 20));
    return found->second;
  };
}

}  // namespace greymet::files
