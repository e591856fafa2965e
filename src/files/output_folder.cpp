#include "files/output_folder.h"

#include <fcntl.h>
#include <openssl/evp.h>
#include <sys/stat.h>
#include <unistd.h>

#include <array>
#include <cerrno>
#include <cstring>
#include <filesystem>
#include <optional>
#include <system_error>

#include <fmt/format.h>

namespace greymet::files {
namespace {

namespace fs = std::filesystem;
constexpr std::string_view manifest_name = ".greymet-files";
constexpr std::size_t digest_length = 64;  // hexadecimal digits of SHA-256

tl::unexpected<FileError> refuse(std::string message) {
  return tl::unexpected(FileError{std::move(message)});
}

tl::unexpected<FileError> failed(const std::string& path, int error) {
  return refuse(fmt::format("{}: {}", path, std::strerror(error)));
}

tl::expected<void, FileError> write_all(int fd, std::string_view content, const std::string& path) {
  while (!content.empty()) {
    const ssize_t n = ::write(fd, content.data(), content.size());
    if (n < 0 && errno == EINTR) continue;
    if (n < 0) return failed(path, errno);
    content.remove_prefix(static_cast<std::size_t>(n));
  }
  if (::fsync(fd) != 0 && errno != EINVAL) return failed(path, errno);
  return {};
}

// Writes beside the target and renames: readers see the old file or the new one, never a part.
tl::expected<void, FileError> replace_file(const std::string& path, std::string_view content,
                                           std::optional<mode_t> permissions = {}) {
  const std::string temporary = fmt::format("{}.{}.tmp", path, ::getpid());
  const int fd = ::open(temporary.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0644);
  if (fd < 0) return failed(path, errno);
  if (permissions) (void)::fchmod(fd, *permissions);
  auto written = write_all(fd, content, path);
  if (::close(fd) != 0 && written) written = failed(path, errno);
  if (written && ::rename(temporary.c_str(), path.c_str()) != 0) written = failed(path, errno);
  if (!written) ::unlink(temporary.c_str());
  return written;
}

}  // namespace

tl::expected<void, FileError> rewrite_file(const std::string& path, std::string_view content) {
  std::error_code error;
  const std::string target = fs::canonical(path, error).string();
  if (error) return refuse(fmt::format("{}: {}", path, error.message()));
  struct stat status {};
  if (::stat(target.c_str(), &status) != 0) return failed(path, errno);
  return replace_file(target, content, status.st_mode & 07777U);
}

std::string sha256_hex(std::string_view content) {
  std::array<unsigned char, EVP_MAX_MD_SIZE> digest{};
  unsigned length = 0;
  EVP_Digest(content.data(), content.size(), digest.data(), &length, EVP_sha256(), nullptr);
  std::string hex;
  for (unsigned i = 0; i < length; ++i) hex += fmt::format("{:02x}", digest[i]);
  return hex;
}

tl::expected<OutputFolder, FileError> OutputFolder::open(const std::string& path, bool force) {
  std::error_code error;
  fs::create_directories(path, error);
  if (error) return refuse(fmt::format("{}: {}", path, error.message()));
  if (!fs::is_directory(path)) return refuse(fmt::format("{}: is not a folder", path));
  OutputFolder folder(path, force);
  const auto manifest = disk_files()(fmt::format("{}/{}", path, manifest_name), largest_map);
  if (manifest) {
    std::string_view rest = *manifest;
    while (!rest.empty()) {
      const std::size_t end = std::min(rest.find('\n'), rest.size());
      const std::string_view line = rest.substr(0, end);
      if (line.size() > digest_length + 2) {
        folder.written_[std::string(line.substr(digest_length + 2))] =
            line.substr(0, digest_length);
      }
      rest.remove_prefix(std::min(end + 1, rest.size()));
    }
  }
  return folder;
}

tl::expected<void, FileError> OutputFolder::write(const std::string& name,
                                                  std::string_view content) {
  const std::string path = fmt::format("{}/{}", path_, name);
  std::error_code error;
  const bool exists = fs::exists(fs::symlink_status(path, error));
  if (exists && !force_) {
    const auto known = written_.find(name);
    const auto present = disk_files()(path, static_cast<std::size_t>(-1) >> 1);
    const std::string digest = present ? sha256_hex(*present) : std::string();
    if (present && *present == content) {
      // the very file that is wanted: nothing to overwrite
    } else if (known == written_.end() || known->second != digest) {
      return refuse(fmt::format("{}: exists, and {}; --force overwrites it", path,
                                known == written_.end() ? "greymet did not write it"
                                                        : "was changed since greymet wrote it"));
    }
  }
  fs::create_directories(fs::path(path).parent_path(), error);
  if (error) return refuse(fmt::format("{}: {}", path, error.message()));
  if (auto done = replace_file(path, content); !done) return done;
  written_[name] = sha256_hex(content);
  return save_manifest();
}

tl::expected<void, FileError> OutputFolder::save_manifest() const {
  std::string text;
  for (const auto& [name, digest] : written_) text += fmt::format("{}  {}\n", digest, name);
  return replace_file(fmt::format("{}/{}", path_, manifest_name), text);
}

}  // namespace greymet::files
