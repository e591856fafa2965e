// Captures as files: pcap and pcapng, packet by packet.
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <tl/expected.hpp>

#include "capture/packet.h"

namespace greymet::capture {

struct Packet {
  Duration time{};  // since 1970
  LinkType link = LinkType::ethernet;
  ByteView bytes;  // until the next one is read
};

// One capture, read from its begin to its end in constant memory.
class PacketFile {
 public:
  // Fails with one line for what is no capture, or one of a link that is not known.
  [[nodiscard]] static tl::expected<PacketFile, std::string> open(const std::string& path);
  PacketFile(PacketFile&&) noexcept;
  PacketFile& operator=(PacketFile&&) noexcept;
  ~PacketFile();

  // Nothing at the end; damage() says whether it came too early.
  [[nodiscard]] std::optional<Packet> next();
  // Why it could not be read to its end; empty while all is well.
  [[nodiscard]] const std::string& damage() const;
  // How much of the file is read, 0 to 1.
  [[nodiscard]] double progress() const;

 private:
  struct Impl;
  explicit PacketFile(std::unique_ptr<Impl> impl);
  std::unique_ptr<Impl> impl_;
};

}  // namespace greymet::capture
