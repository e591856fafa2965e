#include "files/background_writer.h"

#include <unistd.h>

#include <cerrno>
#include <chrono>
#include <condition_variable>
#include <csignal>
#include <mutex>
#include <thread>
#include <utility>

#include <fmt/format.h>

namespace greymet::files {

namespace {

constexpr std::size_t most_waiting = std::size_t{64} << 20;

}  // namespace

struct BackgroundWriter::State {
  Descriptor fd;
  std::string path;
  OnSlowDisk on_slow_disk = OnSlowDisk::fail;
  mutable std::mutex mutex;  // of all below
  std::condition_variable changed;
  std::string waiting;
  bool over = false;
  bool done = false;
  std::optional<FileError> failure;

  void work() {
    std::unique_lock lock(mutex);
    while (true) {
      changed.wait(lock, [this] { return over || !waiting.empty(); });
      if (waiting.empty()) break;
      const std::string bytes = std::exchange(waiting, {});
      changed.notify_all();
      lock.unlock();
      auto failed = write_all(bytes);
      lock.lock();
      if (failed && !failure) failure = std::move(failed);
      if (failure) waiting.clear();
    }
    done = true;
    changed.notify_all();
  }
  [[nodiscard]] std::optional<FileError> write_all(std::string_view bytes) const {
    std::string_view rest = bytes;
    while (!rest.empty()) {
      const ssize_t written = ::write(fd.get(), rest.data(), rest.size());
      if (written < 0 && errno == EINTR) continue;
      if (written < 0) {
        auto failed = system_failure(path, errno).value();
        end_with_a_line(bytes.substr(0, bytes.size() - rest.size()));
        return failed;
      }
      rest.remove_prefix(static_cast<std::size_t>(written));
    }
    return std::nullopt;
  }
  // Takes back what was written of a line whose rest did not fit.
  void end_with_a_line(std::string_view written) const {
    const std::size_t line = written.rfind('\n');
    const std::size_t surplus = written.size() - (line == std::string_view::npos ? 0 : line + 1);
    const off_t size = ::lseek(fd.get(), 0, SEEK_END);
    if (surplus == 0 || size < static_cast<off_t>(surplus)) return;
    (void)!::ftruncate(fd.get(), size - static_cast<off_t>(surplus));
  }
};

BackgroundWriter::BackgroundWriter(Descriptor fd, std::string path, OnSlowDisk on_slow_disk)
    : state_(std::make_shared<State>()) {
  state_->fd = std::move(fd);
  state_->path = std::move(path);
  state_->on_slow_disk = on_slow_disk;
  // signals are for whoever started it
  sigset_t all;
  sigset_t before;
  sigfillset(&all);
  pthread_sigmask(SIG_SETMASK, &all, &before);
  std::thread([state = state_] { state->work(); }).detach();
  pthread_sigmask(SIG_SETMASK, &before, nullptr);
}

BackgroundWriter::~BackgroundWriter() {
  finish();
}

void BackgroundWriter::append(std::string_view bytes) {
  std::unique_lock lock(state_->mutex);
  const auto has_room = [&] {
    return state_->failure || state_->waiting.empty() ||
           state_->waiting.size() + bytes.size() <= most_waiting;
  };
  if (!has_room() && state_->on_slow_disk == OnSlowDisk::wait) {
    state_->changed.wait(lock, has_room);
  }
  if (state_->failure || state_->over || bytes.empty()) return;
  if (!has_room()) {
    state_->failure = FileError{fmt::format("{}: the disk does not keep up", state_->path)};
    return;
  }
  state_->waiting += bytes;
  state_->changed.notify_all();
}

std::optional<FileError> BackgroundWriter::failure() const {
  const std::lock_guard lock(state_->mutex);
  return state_->failure;
}

std::optional<FileError> BackgroundWriter::finish() {
  constexpr auto patience = std::chrono::seconds(10);
  std::unique_lock lock(state_->mutex);
  state_->over = true;
  state_->changed.notify_all();
  const bool done = state_->changed.wait_for(lock, patience, [this] { return state_->done; });
  if (!done && !state_->failure) {
    state_->failure = FileError{fmt::format("{}: the disk does not answer", state_->path)};
  }
  return state_->failure;
}

}  // namespace greymet::files
