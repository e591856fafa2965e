#include "files/folder.h"

#include <dirent.h>
#include <fcntl.h>
#include <sys/file.h>
#include <sys/random.h>
#include <sys/stat.h>
#include <unistd.h>

#include <array>
#include <cerrno>
#include <chrono>
#include <csignal>
#include <thread>
#include <utility>

#include <fmt/format.h>

namespace greymet::files {
namespace {

constexpr std::string_view aside_prefix = ".greymet-";
constexpr std::string_view aside_suffix = ".tmp";

std::string unpredictable_name(std::string_view suffix) {
  std::array<unsigned char, 12> bytes{};
  std::size_t got = 0;
  while (got < bytes.size()) {
    const ssize_t n = ::getrandom(bytes.data() + got, bytes.size() - got, 0);
    if (n > 0) got += static_cast<std::size_t>(n);
  }
  return fmt::format("{}{:02x}{}", aside_prefix, fmt::join(bytes, ""), suffix);
}

}  // namespace

Descriptor::Descriptor(Descriptor&& other) noexcept : fd_(std::exchange(other.fd_, -1)) {}

Descriptor& Descriptor::operator=(Descriptor&& other) noexcept {
  std::swap(fd_, other.fd_);
  return *this;
}

Descriptor::~Descriptor() {
  if (fd_ >= 0) ::close(fd_);
}

struct SignalsHeld::Mask {
  sigset_t signals{};
};

SignalsHeld::SignalsHeld() : before_(std::make_unique<Mask>()) {
  sigset_t held;
  sigemptyset(&held);
  for (const int signal : {SIGINT, SIGTERM, SIGHUP, SIGQUIT}) sigaddset(&held, signal);
  ::pthread_sigmask(SIG_BLOCK, &held, &before_->signals);
}

SignalsHeld::~SignalsHeld() {
  ::pthread_sigmask(SIG_SETMASK, &before_->signals, nullptr);
}

tl::expected<Folder, FileError> Folder::open(const std::string& path) {
  Descriptor fd(::open(path.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
  if (!fd.open()) {
    if (errno == ENOTDIR) return tl::unexpected(FileError{path + ": is not a folder"});
    return system_failure(path, errno);
  }
  return Folder(path, std::move(fd));
}

tl::expected<Folder, FileError> Folder::subfolder(const std::string& name, bool make) const {
  const std::string path = path_ + "/" + name;
  if (make && ::mkdirat(fd_.get(), name.c_str(), 0777) != 0 && errno != EEXIST) {
    return system_failure(path, errno);
  }
  Descriptor fd(::openat(fd_.get(), name.c_str(), O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC));
  if (fd.open()) return Folder(path, std::move(fd));
  struct stat status {};
  const bool link = ::fstatat(fd_.get(), name.c_str(), &status, AT_SYMLINK_NOFOLLOW) == 0 &&
                    S_ISLNK(status.st_mode);
  if (link) return tl::unexpected(FileError{path + ": is a link, which is not followed"});
  if (errno == ENOTDIR) return tl::unexpected(FileError{path + ": is not a folder"});
  return system_failure(path, errno);
}

tl::expected<void, FileError> Folder::lock() const {
  constexpr int tries = 500;
  constexpr std::chrono::milliseconds between{20};
  for (int i = 0; i < tries; ++i) {
    if (::flock(fd_.get(), LOCK_EX | LOCK_NB) == 0) return {};
    if (errno != EWOULDBLOCK && errno != EINTR) return {};
    std::this_thread::sleep_for(between);
  }
  return tl::unexpected(FileError{path_ + ": another greymet has been writing there for 10 s"});
}

void Folder::unlock() const {
  ::flock(fd_.get(), LOCK_UN);
}

void Folder::remove_leftovers() const {
  const int fd = ::openat(fd_.get(), ".", O_RDONLY | O_DIRECTORY | O_CLOEXEC);
  DIR* entries = fd >= 0 ? ::fdopendir(fd) : nullptr;
  if (entries == nullptr) {
    if (fd >= 0) ::close(fd);
    return;
  }
  while (const dirent* entry = ::readdir(entries)) {
    const std::string_view name = entry->d_name;
    if (name.starts_with(aside_prefix) && name.ends_with(aside_suffix)) {
      ::unlinkat(fd_.get(), entry->d_name, 0);
    }
  }
  ::closedir(entries);
}

Standing Folder::standing(const std::string& name) const {
  struct stat status {};
  if (::fstatat(fd_.get(), name.c_str(), &status, AT_SYMLINK_NOFOLLOW) != 0) {
    return errno == ENOENT ? Standing::nothing : Standing::other;
  }
  return S_ISREG(status.st_mode) ? Standing::file : Standing::other;
}

std::optional<std::string> Folder::read(const std::string& name) const {
  const Descriptor fd(
      ::openat(fd_.get(), name.c_str(), O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC));
  if (!fd.open()) return std::nullopt;
  auto content = read_descriptor(fd.get(), static_cast<std::size_t>(-1) >> 1);
  if (!content) return std::nullopt;
  return std::move(*content);
}

tl::expected<std::string, FileError> write_aside(const Folder& folder, std::string_view content) {
  std::string name = unpredictable_name(aside_suffix);
  const int fd = ::openat(folder.descriptor(), name.c_str(),
                          O_WRONLY | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, 0600);
  if (fd < 0) return system_failure(folder.path(), errno);
  auto written = write_descriptor(fd, content, folder.path());
  if (::close(fd) != 0 && written) written = system_failure(folder.path(), errno);
  if (written) return name;
  ::unlinkat(folder.descriptor(), name.c_str(), 0);
  return tl::unexpected(written.error());
}

tl::expected<void, FileError> Folder::replace(const std::string& name, std::string_view content,
                                              unsigned mode) const {
  const SignalsHeld held;
  const auto aside = write_aside(*this, content);
  if (!aside) return tl::unexpected(aside.error());
  const bool done = ::fchmodat(fd_.get(), aside->c_str(), mode, 0) == 0 &&
                    ::renameat(fd_.get(), aside->c_str(), fd_.get(), name.c_str()) == 0;
  if (done) return {};
  const int error = errno;
  ::unlinkat(fd_.get(), aside->c_str(), 0);
  return system_failure(path_ + "/" + name, error);
}

}  // namespace greymet::files
