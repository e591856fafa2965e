// The adversary of the stalls: steps through time one unit at a time and follows the text of the
// timing model word by word. Queues on a network or a line, longest durations, one silent device,
// no park.
#pragma once

#include <algorithm>
#include <cstdint>
#include <deque>
#include <optional>
#include <vector>

namespace greymet::test {

enum class SlowKind : std::uint8_t { cyclic, triggered, continuous };

struct SlowJob {
  SlowKind kind = SlowKind::cyclic;
  std::int64_t period = 0;  // or the least gap of a triggered one
  std::int64_t phase = 0;
  bool silent = false;  // its device falls silent
  std::int64_t out = 0;
  std::int64_t service = 0;  // at the device, or on the line
  std::int64_t back = 0;
  std::int64_t in_vain = 0;  // the service when nobody answers, in all tries
};

struct SlowQueue {
  std::size_t controller = 0;
  bool gateway = false;  // all gateways share one line
  std::int64_t places = 1;
  std::int64_t scan = 0;
  std::vector<SlowJob> jobs;
};

class SlowNetwork {
 public:
  SlowNetwork(std::vector<SlowQueue> queues, std::vector<std::optional<std::int64_t>> limits)
      : queues_(std::move(queues)), limits_(std::move(limits)) {
    for (const SlowQueue& q : queues_) requests_.emplace_back(q.jobs.size());
    next_continuous_.assign(queues_.size(), 0);
  }

  // The longest that a request to another device was stalled, per queue.
  std::vector<std::int64_t> run(std::int64_t silent_from, std::int64_t end) {
    std::vector<std::int64_t> longest(queues_.size(), 0);
    for (std::int64_t now = 0; now < end; ++now) {
      finish(now, longest);
      serve_line(now);
      release(now);
      for (const bool continuous : {false, true}) {
        while (start_one(now, silent_from, continuous)) {
        }
      }
      count();
    }
    return longest;
  }

 private:
  enum class Where : std::uint8_t { nowhere, queue, out, line, served, back };
  struct Request {
    Where where = Where::nowhere;
    std::int64_t released = 0;
    std::int64_t until = 0;  // of the way it is on
    bool in_vain = false;
    std::int64_t stalled = 0;
    std::int64_t next_release = -1;  // -1: as its period says
  };
  struct Freed {
    std::size_t queue;
    std::int64_t until;
    bool in_vain;
  };

  [[nodiscard]] bool is_under_way(const Request& r) const {
    return r.where != Where::nowhere && r.where != Where::queue;
  }

  void finish(std::int64_t now, std::vector<std::int64_t>& longest) {
    for (std::size_t q = 0; q < queues_.size(); ++q) {
      for (std::size_t j = 0; j < requests_[q].size(); ++j) {
        Request& r = requests_[q][j];
        const SlowJob& job = queues_[q].jobs[j];
        if (r.where == Where::served && r.until == now) {
          if (queues_[q].gateway) line_.reset();
          r.where = Where::back;
          r.until = now + job.back;
        }
        if (r.where != Where::back || r.until != now) continue;
        r.where = Where::nowhere;
        if (!job.silent && job.kind != SlowKind::continuous) {
          longest[q] = std::max(longest[q], r.stalled);
        }
        r.next_release = std::max(now, r.released + job.period);
        const std::int64_t scan = queues_[q].scan;
        if (scan > 0 && now % scan != 0) {
          freed_.push_back({q, (now / scan + 1) * scan, r.in_vain});
        }
      }
    }
    std::erase_if(freed_, [&](const Freed& f) { return f.until <= now; });
  }

  void serve_line(std::int64_t now) {
    const auto take = [&] {
      if (line_ || at_line_.empty()) return;
      line_ = at_line_.front();
      at_line_.pop_front();
      Request& r = requests_[line_->first][line_->second];
      const SlowJob& job = queues_[line_->first].jobs[line_->second];
      r.where = Where::served;
      r.until = now + (r.in_vain ? job.in_vain : job.service);
    };
    take();
    for (std::size_t q = 0; q < queues_.size(); ++q) {
      for (std::size_t j = 0; j < requests_[q].size(); ++j) {
        Request& r = requests_[q][j];
        if (r.where != Where::out || r.until != now) continue;
        r.where = Where::line;
        at_line_.emplace_back(q, j);
        take();
      }
    }
  }

  void release(std::int64_t now) {
    for (std::size_t q = 0; q < queues_.size(); ++q) {
      for (std::size_t j = 0; j < requests_[q].size(); ++j) {
        Request& r = requests_[q][j];
        const SlowJob& job = queues_[q].jobs[j];
        if (job.kind == SlowKind::continuous || r.where != Where::nowhere) continue;
        const bool due = job.kind == SlowKind::cyclic
                             ? now >= job.phase && (now - job.phase) % job.period == 0
                             : now == (r.next_release < 0 ? job.phase : r.next_release);
        if (!due) continue;
        r = {Where::queue, now, 0, false, 0, -1};
      }
    }
  }

  [[nodiscard]] std::int64_t under_way(std::optional<std::size_t> queue,
                                       std::size_t controller) const {
    std::int64_t count = 0;
    for (std::size_t q = 0; q < queues_.size(); ++q) {
      if (queue ? q != *queue : queues_[q].controller != controller) continue;
      count += std::count_if(requests_[q].begin(), requests_[q].end(),
                             [&](const Request& r) { return is_under_way(r); });
    }
    return count;
  }

  [[nodiscard]] bool waits(std::size_t q) const {
    return std::any_of(requests_[q].begin(), requests_[q].end(),
                       [](const Request& r) { return r.where == Where::queue; });
  }

  bool start_one(std::int64_t now, std::int64_t silent_from, bool continuous) {
    std::optional<std::pair<std::size_t, std::size_t>> next;
    for (std::size_t q = 0; q < queues_.size(); ++q) {
      const SlowQueue& queue = queues_[q];
      const auto& limit = limits_[queue.controller];
      if (queue.scan > 0 && now % queue.scan != 0) continue;
      if (under_way(q, 0) >= queue.places) continue;
      if (limit && under_way({}, queue.controller) >= *limit) continue;
      for (std::size_t k = 0; k < queue.jobs.size(); ++k) {
        if (continuous) {
          const std::size_t j = (next_continuous_[q] + k) % queue.jobs.size();
          if (queue.jobs[j].kind != SlowKind::continuous || next || waits(q)) continue;
          if (requests_[q][j].where == Where::nowhere) next = {q, j};
        } else if (requests_[q][k].where == Where::queue) {
          if (!next || requests_[q][k].released < requests_[next->first][next->second].released) {
            next = {q, k};
          }
        }
      }
    }
    if (!next) return false;
    const auto [q, j] = *next;
    Request& r = requests_[q][j];
    if (continuous) {
      r = {};
      r.released = now;
      next_continuous_[q] = j + 1;
    }
    r.in_vain = queues_[q].jobs[j].silent && now >= silent_from;
    const SlowJob& job = queues_[q].jobs[j];
    r.where = queues_[q].gateway ? Where::out : Where::served;
    r.until = now + (queues_[q].gateway ? job.out : r.in_vain ? job.in_vain : job.service);
    return true;
  }

  [[nodiscard]] bool line_in_vain() const {
    return line_ && requests_[line_->first][line_->second].in_vain;
  }
  // Only silence is in the way of this one.
  [[nodiscard]] bool is_stuck(std::size_t q, const Request& r) const {
    const bool at_line = queues_[q].gateway && (r.where == Where::line || r.where == Where::served);
    return at_line ? line_in_vain() : r.in_vain;
  }

  // Places of one queue, or of a controller: how many are held, and whether all by what is stuck.
  [[nodiscard]] bool all_stuck(std::optional<std::size_t> queue, std::size_t controller,
                               std::int64_t places) const {
    std::int64_t held = 0;
    bool stuck = true;
    for (std::size_t q = 0; q < queues_.size(); ++q) {
      if (queue ? q != *queue : queues_[q].controller != controller) continue;
      for (const Request& r : requests_[q]) {
        if (!is_under_way(r)) continue;
        ++held;
        stuck = stuck && is_stuck(q, r);
      }
      for (const Freed& f : freed_) {
        if (f.queue != q) continue;
        ++held;
        stuck = stuck && f.in_vain;
      }
    }
    return held >= places && stuck;
  }

  // Every request that is stalled from now until the next instant.
  void count() {
    for (std::size_t q = 0; q < queues_.size(); ++q) {
      const SlowQueue& queue = queues_[q];
      const auto& limit = limits_[queue.controller];
      const bool no_place =
          all_stuck(q, 0, queue.places) || (limit && all_stuck({}, queue.controller, *limit));
      for (Request& r : requests_[q]) {
        if (r.where == Where::queue && no_place) ++r.stalled;
        if (r.where == Where::line && line_in_vain()) ++r.stalled;
      }
    }
  }

  std::vector<SlowQueue> queues_;
  std::vector<std::optional<std::int64_t>> limits_;
  std::vector<std::vector<Request>> requests_;
  std::vector<std::size_t> next_continuous_;
  std::optional<std::pair<std::size_t, std::size_t>> line_;
  std::deque<std::pair<std::size_t, std::size_t>> at_line_;
  std::vector<Freed> freed_;
};

}  // namespace greymet::test
