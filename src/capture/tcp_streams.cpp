#include "capture/tcp_streams.h"

#include <algorithm>

namespace greymet::capture {

namespace {

constexpr std::size_t most_connections = 4096;
constexpr std::size_t most_held = std::size_t{64} << 10U;
constexpr std::size_t most_segments_held = 256;  // segments, however small

// How far b lies behind a, on the circle of sequence numbers.
std::int32_t distance(std::uint32_t a, std::uint32_t b) {
  return static_cast<std::int32_t>(b - a);
}

}  // namespace

bool TcpStreams::add(Duration time, const TcpSegment& segment) {
  const bool to_server = is_server_(segment.to);
  const bool to_client = !to_server && is_server_(segment.from);
  if (!to_server && !to_client) return false;
  ++counts_.segments;
  const Key key = to_server ? Key{segment.from, segment.to} : Key{segment.to, segment.from};
  // a new connection of the same two ports
  if (segment.begins && to_server) {
    if (const auto old = connections_.find(key); old != connections_.end()) {
      const bool again = old->second.to_server.next == segment.sequence + 1;
      if (again) {
        ++counts_.repeated;
        return true;
      }
      end(key, old->second, time, true);
      connections_.erase(old);
    }
  }
  auto found = connections_.find(key);
  if (found == connections_.end()) {
    const bool is_over = (segment.ends || segment.resets) && segment.payload.empty();
    if (is_over) return true;
    make_room();
    found = connections_.try_emplace(key).first;
    found->second.number = numbers_++;
    ++counts_.connections;
  }
  Connection& connection = found->second;
  connection.last = time;
  take(key, connection, to_server, time, segment);
  Way& way = to_server ? connection.to_server : connection.to_client;
  way.ended = way.ended || segment.ends;
  if (segment.resets || (connection.to_server.ended && connection.to_client.ended)) {
    end(key, connection, time, true);
    connections_.erase(found);
  }
  return true;
}

void TcpStreams::take(const Key& key, Connection& connection, bool from_client, Duration time,
                      const TcpSegment& segment) {
  Way& way = from_client ? connection.to_server : connection.to_client;
  Way& other = from_client ? connection.to_client : connection.to_server;
  if (segment.begins) {
    way.next = segment.sequence + 1;
    way.gap = false;
    return;
  }
  // who acknowledges more than was captured has got what the capture missed
  while (segment.has_ack && other.next) {
    const auto nearest = nearest_of(other);
    if (nearest == other.waiting.end() || distance(nearest->first, segment.acknowledges) < 0) break;
    jump(key, connection, !from_client, other);
  }
  if (segment.payload.empty()) return;
  if (!way.next) way.next = segment.sequence;
  ByteView bytes = segment.payload;
  std::uint32_t sequence = segment.sequence;
  const std::int32_t ahead = distance(*way.next, sequence);
  if (ahead < 0) {
    const auto known = static_cast<std::size_t>(-static_cast<std::int64_t>(ahead));
    if (known >= bytes.size()) {
      ++counts_.repeated;
      return;
    }
    bytes = bytes.subspan(known);
    sequence = *way.next;
  }
  if (sequence == *way.next) {
    deliver(key, connection, from_client, way, time, bytes);
    drain(key, connection, from_client, way);
    return;
  }
  ++counts_.reordered;
  const auto [at, is_new] = way.waiting.try_emplace(sequence);
  if (!is_new && at->second.bytes.size() >= bytes.size()) {
    ++counts_.repeated;
    return;
  }
  way.held += bytes.size() - at->second.bytes.size();
  at->second = {time, {bytes.begin(), bytes.end()}};
  if (way.held > most_held || way.waiting.size() > most_segments_held) {
    jump(key, connection, from_client, way);
  }
}

void TcpStreams::deliver(const Key& key, const Connection& connection, bool from_client, Way& way,
                         Duration time, ByteView bytes) {
  *way.next += static_cast<std::uint32_t>(bytes.size());
  const StreamPiece piece{connection.number, key.first, key.second, from_client, time,
                          way.gap,           false,     true,       bytes};
  way.gap = false;
  sink_(piece);
}

// What waited and now follows.
void TcpStreams::drain(const Key& key, const Connection& connection, bool from_client, Way& way) {
  for (bool again = true; again;) {
    again = false;
    for (auto at = way.waiting.begin(); at != way.waiting.end(); ++at) {
      const std::int32_t ahead = distance(*way.next, at->first);
      if (ahead > 0) continue;
      Waiting waiting = std::move(at->second);
      way.held -= waiting.bytes.size();
      way.waiting.erase(at);
      const auto known = static_cast<std::size_t>(-static_cast<std::int64_t>(ahead));
      if (known < waiting.bytes.size()) {
        deliver(key, connection, from_client, way, waiting.time,
                ByteView(waiting.bytes).subspan(known));
      }
      again = true;
      break;
    }
  }
}

std::map<std::uint32_t, TcpStreams::Waiting>::iterator TcpStreams::nearest_of(Way& way) {
  return std::min_element(way.waiting.begin(), way.waiting.end(),
                          [&](const auto& a, const auto& b) {
                            return distance(*way.next, a.first) < distance(*way.next, b.first);
                          });
}

// Bytes that never came: on with the nearest that did.
void TcpStreams::jump(const Key& key, const Connection& connection, bool from_client, Way& way) {
  const auto nearest = nearest_of(way);
  if (nearest == way.waiting.end()) return;
  ++counts_.gaps;
  way.next = nearest->first;
  way.gap = true;
  drain(key, connection, from_client, way);
}

void TcpStreams::end(const Key& key, Connection& connection, Duration time, bool is_over) {
  for (const bool from_client : {true, false}) {
    Way& way = from_client ? connection.to_server : connection.to_client;
    while (!way.waiting.empty()) jump(key, connection, from_client, way);
  }
  const StreamPiece piece{connection.number, key.first, key.second, true, time, false, true,
                          is_over,           {}};
  sink_(piece);
}

void TcpStreams::make_room() {
  if (connections_.size() < most_connections) return;
  const auto oldest =
      std::min_element(connections_.begin(), connections_.end(),
                       [](const auto& a, const auto& b) { return a.second.last < b.second.last; });
  end(oldest->first, oldest->second, oldest->second.last, true);
  connections_.erase(oldest);
}

void TcpStreams::finish(Duration time) {
  for (auto& [key, connection] : connections_) end(key, connection, time, false);
  connections_.clear();
}

}  // namespace greymet::capture
