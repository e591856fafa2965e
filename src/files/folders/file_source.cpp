#include "files/file_source.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <filesystem>
#include <memory>
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

namespace {

constexpr std::size_t most_names = 4096;  // of a folder

std::vector<std::string> names_on_disk(const std::string& folder) {
  std::vector<std::string> names;
  std::error_code error;
  std::filesystem::directory_iterator at(folder.empty() ? "." : folder, error);
  while (!error && at != std::filesystem::directory_iterator() && names.size() < most_names) {
    names.push_back(at->path().filename().string());
    at.increment(error);
  }
  return names;
}

}  // namespace

// What cannot be followed is told of where it is read.
bool is_within_on_disk(const std::string& folder, const std::string& path) {
  namespace fs = std::filesystem;
  std::error_code error;
  const fs::path root = fs::canonical(folder.empty() ? "." : folder, error);
  if (error) return true;
  const fs::path target = fs::canonical(path, error);
  if (error) return true;
  const fs::path within = target.lexically_relative(root);
  return !within.empty() && *within.begin() != "..";
}

FileSource disk_files() {
  return {read_from_disk, names_on_disk, is_within_on_disk};
}

FileSource with_texts(FileSource files, std::map<std::string, std::string> texts) {
  const auto shared = std::make_shared<const std::map<std::string, std::string>>(std::move(texts));
  FileSource changed = files;
  changed.read = [shared, files = std::move(files)](const std::string& path, std::size_t limit) {
    const auto found = shared->find(path);
    return found == shared->end() ? files(path, limit) : FileContent(found->second);
  };
  return changed;
}

FileSource or_beside(const FileSource& files, const std::string& plan, const std::string& folder) {
  const std::size_t slash = plan.rfind('/');
  const std::string own = slash == std::string::npos ? std::string() : plan.substr(0, slash + 1);
  FileSource out;
  out.names = files.names;
  out.read = [files, own, folder, plan](const std::string& path, std::size_t limit) {
    auto content = files(path, limit);
    if (content || path == plan || !path.starts_with(own)) return content;
    auto other = files(folder + "/" + path.substr(own.size()), limit);
    return other ? std::move(other) : std::move(content);
  };
  return out;
}

FileSource memory_files(std::map<std::string, std::string> files) {
  const auto shared = std::make_shared<const std::map<std::string, std::string>>(std::move(files));
  return {[shared](const std::string& path, std::size_t limit) -> FileContent {
            const auto found = shared->find(path);
            if (found == shared->end()) return refuse("No such file or directory");
            if (found->second.size() > limit)
              return refuse(fmt::format("is larger than {} MB", limit >> 20));
            return found->second;
          },
          [shared](const std::string& folder) {
            std::vector<std::string> names;
            for (const auto& [path, ignored] : *shared) {
              if (!path.starts_with(folder)) continue;
              const std::string rest = path.substr(folder.size());
              std::string name = rest.substr(0, rest.find('/'));
              if (names.empty() || names.back() != name) names.push_back(std::move(name));
            }
            return names;
          }};
}

}  // namespace greymet::files
