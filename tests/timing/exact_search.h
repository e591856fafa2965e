// The exact worst response in small exchanges: everything that a plan leaves open is tried. It
// knows docs/timing-model.md only and steps through time, one unit after the other; an adversary
// decides when anything is released, how long each part of a request takes and who of equals goes
// first.
#pragma once

#include <algorithm>
#include <cstdint>
#include <optional>
#include <string>
#include <unordered_set>
#include <vector>

namespace greymet::test {

struct SearchJob {
  std::size_t queue = 0;
  int service = 1;  // on TCP all of it, behind a gateway on the line
  int out = 0, back = 0;
  int gap = 1;  // least time between two releases
  bool continuous = false;
};

struct SearchQueue {
  std::size_t controller = 0;
  int places = 1;
  bool gateway = false;  // all of them lead to one line
};

struct SearchPlan {
  std::vector<SearchQueue> queues;
  std::vector<SearchJob> jobs;
  std::vector<int> limits;  // per controller; 0: none
  int scan = 0;             // of all controllers, their boundaries at its multiples; 0: anytime
};

class ExactSearch {
 public:
  ExactSearch(const SearchPlan& plan, std::size_t job) : plan_(plan), job_(job) {}

  // The longest response of the job; nothing where more than so many states would be looked at.
  std::optional<int> run(std::size_t most_states) {
    std::vector<State> open{State(plan_.jobs.size())};
    for (Job& job : open.back().jobs) job.age = longest_age;
    while (!open.empty()) {
      const State state = std::move(open.back());
      open.pop_back();
      ends(state, open);
      if (known_.size() > most_states) return std::nullopt;
    }
    return worst_;
  }

 private:
  enum Phase : std::uint8_t { idle, waiting, out, at_line, served, back };
  static constexpr std::uint8_t longest_age = 200;
  struct Job {
    std::uint8_t phase = idle;
    std::uint8_t age = 0;      // since its last release
    std::uint8_t elapsed = 0;  // of its phase
    std::uint8_t rank = 0;     // in the order of starts or, at the line, of arrivals
  };
  struct State {
    explicit State(std::size_t count) : jobs(count) {}
    std::vector<Job> jobs;
    std::uint8_t now = 0;  // within the scan
  };

  // Of the others that wait only their order counts, and when they may be released again.
  std::string key_of(const State& state) const {
    std::string key(1, static_cast<char>(state.now));
    for (std::size_t j = 0; j < state.jobs.size(); ++j) {
      Job job = state.jobs[j];
      std::uint8_t older = 0;
      if (job.phase == waiting) {
        std::vector<std::uint8_t> ages;
        for (const Job& other : state.jobs) {
          if (other.phase == waiting && other.age > job.age) ages.push_back(other.age);
        }
        std::sort(ages.begin(), ages.end());
        older = static_cast<std::uint8_t>(std::unique(ages.begin(), ages.end()) - ages.begin());
      }
      if (j != job_ || job.phase == idle) job.age = std::min(job.age, least_age(j));
      key.append({static_cast<char>(job.phase), static_cast<char>(job.age),
                  static_cast<char>(job.elapsed), static_cast<char>(job.rank),
                  static_cast<char>(older)});
    }
    return key;
  }
  std::uint8_t least_age(std::size_t j) const {
    return static_cast<std::uint8_t>(plan_.jobs[j].continuous ? 0 : plan_.jobs[j].gap);
  }
  const SearchQueue& queue_of(std::size_t j) const { return plan_.queues[plan_.jobs[j].queue]; }

  static std::uint8_t next_rank(const State& state, Phase phase) {
    std::uint8_t last = 0;
    for (const Job& job : state.jobs) {
      if (job.phase == phase) last = std::max(last, job.rank);
    }
    return static_cast<std::uint8_t>(last + 1);
  }
  static void close_ranks(State& state, Phase phase, std::uint8_t gone) {
    for (Job& job : state.jobs) {
      if (job.phase == phase && job.rank > gone) --job.rank;
    }
  }

  void complete(State& state, std::size_t j) {
    if (j == job_) worst_ = std::max<int>(worst_, state.jobs[j].age);
    state.jobs[j].phase = idle;
    state.jobs[j].elapsed = state.jobs[j].rank = 0;
    if (plan_.jobs[j].continuous) state.jobs[j].age = 0;
  }

  // May, or must, this phase of the job end now? On the way to a gateway nobody overtakes, and what
  // a request waits behind an earlier one is part of its own way.
  enum class End { no, may, must };
  End end_of(const State& state, std::size_t j) const {
    const Job& job = state.jobs[j];
    const SearchJob& of = plan_.jobs[j];
    switch (job.phase) {
      case served:
        return job.elapsed >= of.service ? End::must : job.elapsed >= 1 ? End::may : End::no;
      case back: return job.elapsed >= of.back ? End::must : End::may;
      case out: {
        bool must = job.elapsed >= of.out;
        for (std::size_t k = 0; k < state.jobs.size(); ++k) {
          const Job& other = state.jobs[k];
          if (k == j || other.phase != out || plan_.jobs[k].queue != of.queue) continue;
          if (other.rank < job.rank) return End::no;  // until it has ended itself
          must = must || other.elapsed >= plan_.jobs[k].out;
        }
        return must ? End::must : End::may;
      }
      default: return End::no;
    }
  }

  void end_phase(State& state, std::size_t j) {
    Job& job = state.jobs[j];
    const std::uint8_t rank = job.rank;
    switch (job.phase) {
      case out:
        job.rank = next_rank(state, at_line);
        job.phase = at_line;
        close_ranks(state, out, rank);
        break;
      case served:
        job.phase = back;
        if (!queue_of(j).gateway) complete(state, j);
        break;
      default: complete(state, j); break;
    }
    job.elapsed = 0;
  }

  // The line takes the next one as soon as it is free.
  static void serve_line(State& state, const SearchPlan& plan) {
    std::optional<std::size_t> first;
    for (std::size_t j = 0; j < state.jobs.size(); ++j) {
      if (!plan.queues[plan.jobs[j].queue].gateway) continue;
      if (state.jobs[j].phase == served) return;
      if (state.jobs[j].phase == at_line && state.jobs[j].rank == 1) first = j;
    }
    if (!first) return;
    state.jobs[*first].phase = served;
    state.jobs[*first].elapsed = state.jobs[*first].rank = 0;
    close_ranks(state, at_line, 1);
  }

  // What ends, ends first, in any order.
  void ends(const State& state, std::vector<State>& open) {
    if (!known_.insert(key_of(state)).second) return;
    bool waits_for_one = false;
    for (std::size_t j = 0; j < state.jobs.size(); ++j) {
      const End end = end_of(state, j);
      if (end == End::no) continue;
      waits_for_one = waits_for_one || end == End::must;
      State ended = state;
      end_phase(ended, j);
      serve_line(ended, plan_);
      ends(ended, open);
    }
    if (!waits_for_one) releases(state, 0, open);
  }

  void releases(const State& state, std::size_t from, std::vector<State>& open) {
    for (std::size_t j = from; j < state.jobs.size(); ++j) {
      if (plan_.jobs[j].continuous || state.jobs[j].phase != idle) continue;
      if (state.jobs[j].age < plan_.jobs[j].gap) continue;
      State released = state;
      released.jobs[j].phase = waiting;
      released.jobs[j].age = 0;
      releases(released, j + 1, open);
    }
    starts(state, open);
  }

  // Queues that compete for places: those of a controller with a limit, or one alone.
  bool compete(std::size_t a, std::size_t b) const {
    const std::size_t controller = plan_.queues[a].controller;
    return a == b || (controller == plan_.queues[b].controller && plan_.limits[controller] > 0);
  }
  bool has_place(const State& state, std::size_t q) const {
    int here = 0;
    int of_controller = 0;
    for (std::size_t j = 0; j < state.jobs.size(); ++j) {
      if (state.jobs[j].phase == idle || state.jobs[j].phase == waiting) continue;
      here += plan_.jobs[j].queue == q ? 1 : 0;
      of_controller += queue_of(j).controller == plan_.queues[q].controller ? 1 : 0;
    }
    const int limit = plan_.limits[plan_.queues[q].controller];
    return here < plan_.queues[q].places && (limit == 0 || of_controller < limit);
  }

  void starts(const State& state, std::vector<State>& open) {
    if (state.now != 0) return step(state, open);
    std::vector<std::size_t> can;  // start now
    for (std::size_t j = 0; j < state.jobs.size(); ++j) {
      const bool wants =
          plan_.jobs[j].continuous ? state.jobs[j].phase == idle : state.jobs[j].phase == waiting;
      if (wants && has_place(state, plan_.jobs[j].queue)) can.push_back(j);
    }
    if (can.empty()) return step(state, open);
    const std::size_t group = plan_.jobs[can.front()].queue;
    // of those that compete the earliest release goes first, continuous ones when nobody else can
    const auto before = [&](std::size_t a, std::size_t b) {
      if (plan_.jobs[a].continuous != plan_.jobs[b].continuous) return plan_.jobs[b].continuous;
      return !plan_.jobs[a].continuous && state.jobs[a].age > state.jobs[b].age;
    };
    for (const std::size_t j : can) {
      if (!compete(group, plan_.jobs[j].queue)) continue;
      const bool later = std::any_of(can.begin(), can.end(), [&](std::size_t other) {
        return compete(group, plan_.jobs[other].queue) && before(other, j);
      });
      if (later) continue;
      State started = state;
      Job& job = started.jobs[j];
      job.elapsed = 0;
      if (queue_of(j).gateway) {
        job.rank = next_rank(started, out);
        job.phase = out;
      } else {
        job.phase = served;
      }
      // a way that takes no time ends at once
      ends(started, open);
    }
  }

  void step(const State& state, std::vector<State>& open) {
    State next = state;
    if (plan_.scan > 0) next.now = static_cast<std::uint8_t>((state.now + 1) % plan_.scan);
    for (Job& job : next.jobs) {
      if (job.age < longest_age) ++job.age;
      if (job.phase == out || job.phase == served || job.phase == back) ++job.elapsed;
    }
    open.push_back(std::move(next));
  }

  const SearchPlan& plan_;
  std::size_t job_;
  int worst_ = 0;
  std::unordered_set<std::string> known_;
};

}  // namespace greymet::test
