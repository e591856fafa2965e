#include "capture/packet_file.h"

#include <pcap/pcap.h>

#include <array>
#include <cstdio>

#include <fmt/format.h>

namespace greymet::capture {

struct PacketFile::Impl {
  struct Closer {
    void operator()(pcap_t* open) const { ::pcap_close(open); }
  };
  std::unique_ptr<pcap_t, Closer> capture;
  LinkType link = LinkType::ethernet;
  long size = 0;
  std::string damage;
};

PacketFile::PacketFile(std::unique_ptr<Impl> impl) : impl_(std::move(impl)) {}
PacketFile::PacketFile(PacketFile&&) noexcept = default;
PacketFile& PacketFile::operator=(PacketFile&&) noexcept = default;
PacketFile::~PacketFile() = default;

tl::expected<PacketFile, std::string> PacketFile::open(const std::string& path) {
  std::array<char, PCAP_ERRBUF_SIZE> error{};
  std::FILE* file = std::fopen(path.c_str(), "rb");
  if (file == nullptr) return tl::unexpected(fmt::format("{}: cannot be read", path));
  std::fseek(file, 0, SEEK_END);
  const long size = std::ftell(file);
  std::rewind(file);
  auto impl = std::make_unique<Impl>();
  impl->size = size;
  impl->capture.reset(
      ::pcap_fopen_offline_with_tstamp_precision(file, PCAP_TSTAMP_PRECISION_NANO, error.data()));
  if (!impl->capture) {
    std::fclose(file);
    return tl::unexpected(fmt::format("{}: is no capture that can be read: {}", path,
                                      size == 0 ? "it is empty" : error.data()));
  }
  const auto link = link_type_from(::pcap_datalink(impl->capture.get()));
  if (!link) {
    return tl::unexpected(fmt::format(
        "{}: its packets are of a link that is not known ({}); known are Ethernet, Linux cooked, "
        "raw IP and loopback",
        path, ::pcap_datalink(impl->capture.get())));
  }
  impl->link = *link;
  return PacketFile(std::move(impl));
}

std::optional<Packet> PacketFile::next() {
  if (!impl_->damage.empty()) return std::nullopt;
  pcap_pkthdr* header = nullptr;
  const u_char* bytes = nullptr;
  const int got = ::pcap_next_ex(impl_->capture.get(), &header, &bytes);
  if (got != 1) {
    if (got == PCAP_ERROR) impl_->damage = ::pcap_geterr(impl_->capture.get());
    return std::nullopt;
  }
  Packet out;
  // with this precision the second number is of nanoseconds
  out.time = std::chrono::seconds(header->ts.tv_sec) + std::chrono::nanoseconds(header->ts.tv_usec);
  out.link = impl_->link;
  out.bytes = std::as_bytes(std::span(bytes, header->caplen));
  return out;
}

const std::string& PacketFile::damage() const {
  return impl_->damage;
}

double PacketFile::progress() const {
  if (impl_->size <= 0) return 1;
  const long at = std::ftell(::pcap_file(impl_->capture.get()));
  return static_cast<double>(at) / static_cast<double>(impl_->size);
}

}  // namespace greymet::capture
