// Bytes that go to a file while something else must not wait for the disk.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <string_view>

#include "files/output_folder.h"

namespace greymet::files {

// Who hands bytes over while a disk does not keep up: never waits, and more than 64 MiB are a
// failure; or waits until there is room.
enum class OnSlowDisk : std::uint8_t { fail, wait };

// Appends to a descriptor from a thread of its own, in order. After a failure the file ends with
// the last whole line that fitted.
class BackgroundWriter {
 public:
  // `path` is for messages.
  BackgroundWriter(Descriptor fd, std::string path, OnSlowDisk on_slow_disk);
  BackgroundWriter(const BackgroundWriter&) = delete;
  BackgroundWriter& operator=(const BackgroundWriter&) = delete;
  ~BackgroundWriter();  // as finish()

  // After a failure nothing more is taken.
  void append(std::string_view bytes);
  // The first failure, as soon as there is one.
  [[nodiscard]] std::optional<FileError> failure() const;
  // Waits until all is written, 10 s at most. The first failure of all, if there was one.
  std::optional<FileError> finish();

 private:
  struct State;
  std::shared_ptr<State> state_;  // also the thread's, which a dead disk may keep
};

}  // namespace greymet::files
