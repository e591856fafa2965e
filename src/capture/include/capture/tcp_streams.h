// TCP segments -> bytes in their order, connection by connection: what was sent twice counts once,
// what came out of order is put in order, and what the capture missed is told.
#pragma once

#include <cstdint>
#include <functional>
#include <map>
#include <optional>
#include <vector>

#include "capture/packet.h"

namespace greymet::capture {

// Bytes of one direction of a connection, in order.
struct StreamPiece {
  std::uint64_t connection = 0;  // numbers from 0 on, each once
  HostPort client;
  HostPort server;
  bool from_client = true;
  Duration time{};
  // Bytes are missing before these: the capture has not seen them, or begins inside.
  bool after_gap = false;
  bool ends = false;    // of the connection, or of what is known of it; without bytes
  bool is_over = true;  // where it ends: false where the capture does
  ByteView bytes;
};
using PieceSink = std::function<void(const StreamPiece&)>;

struct StreamCounts {
  std::uint64_t segments = 0;  // of connections that are followed
  std::uint64_t repeated = 0;  // all of their bytes had been there
  std::uint64_t reordered = 0;
  std::uint64_t gaps = 0;
  std::uint64_t connections = 0;
};

// Follows connections to servers of which `is_server` says so. Memory: at most 4096 connections at
// a time with 64 KiB of waiting bytes each way; the one that was silent longest goes first.
class TcpStreams {
 public:
  TcpStreams(std::function<bool(const HostPort&)> is_server, PieceSink sink)
      : is_server_(std::move(is_server)), sink_(std::move(sink)) {}

  // False where it belongs to none of the connections that are followed.
  bool add(Duration time, const TcpSegment& segment);
  // Hands on what still waits, and ends all connections.
  void finish(Duration time);
  [[nodiscard]] const StreamCounts& counts() const { return counts_; }

 private:
  struct Waiting {
    Duration time{};
    std::vector<std::byte> bytes;
  };
  struct Way {
    std::optional<std::uint32_t> next;
    bool gap = true;                           // until a connection is seen to begin
    std::map<std::uint32_t, Waiting> waiting;  // by sequence, relative order is compared cyclically
    std::size_t held = 0;
    bool ended = false;  // nothing comes any more
  };
  struct Connection {
    std::uint64_t number = 0;
    Way to_server;
    Way to_client;
    Duration last{};
  };
  using Key = std::pair<HostPort, HostPort>;  // client, server

  void take(const Key& key, Connection& connection, bool from_client, Duration time,
            const TcpSegment& segment);
  void deliver(const Key& key, const Connection& connection, bool from_client, Way& way,
               Duration time, ByteView bytes);
  void drain(const Key& key, const Connection& connection, bool from_client, Way& way);
  [[nodiscard]] static std::map<std::uint32_t, Waiting>::iterator nearest_of(Way& way);
  void jump(const Key& key, const Connection& connection, bool from_client, Way& way);
  void end(const Key& key, Connection& connection, Duration time, bool is_over);
  void make_room();

  std::function<bool(const HostPort&)> is_server_;
  PieceSink sink_;
  std::map<Key, Connection> connections_;
  std::uint64_t numbers_ = 0;
  StreamCounts counts_;
};

}  // namespace greymet::capture
