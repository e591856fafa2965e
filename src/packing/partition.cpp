#include "packing/partition.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>
#include <unordered_map>

namespace greymet::packing {
namespace {

// Line time per second, scaled to whole numbers so that ties are exact; then requests.
struct Cost {
  std::int64_t time = 0;
  std::int64_t requests = 0;
  friend auto operator<=>(const Cost&, const Cost&) = default;
  friend Cost operator+(Cost a, Cost b) { return {a.time + b.time, a.requests + b.requests}; }
};

constexpr std::uint16_t closed = 0xFFFF;

// How often each period comes in the longest common time, or close to it where that is too long.
std::vector<std::int64_t> weights_of(const std::vector<Duration>& periods) {
  constexpr std::int64_t most = 1'000'000;
  std::int64_t common = 1;
  bool exact = true;
  for (const Duration period : periods) {
    const std::int64_t factor = period.count() / std::gcd(common, model::in_ns(period));
    exact = exact && factor <= periods.front().count() * most / common;
    if (exact) common *= factor;
  }
  std::vector<std::int64_t> weights;
  for (const Duration period : periods) {
    const double share = static_cast<double>(periods.front().count()) /
                         static_cast<double>(period.count()) * static_cast<double>(most);
    weights.push_back(exact ? common / model::in_ns(period)
                            : std::max<std::int64_t>(1, std::llround(share)));
  }
  return weights;
}

// The widest gap that any request may gain by reading through it.
std::uint32_t widest_gap(const RequestCosts& costs) {
  const std::size_t most = costs.size() - 1;
  // cost(a + g + b) <= cost(a) + cost(b) for some a, b >= 1; a wider gap only makes it dearer
  std::size_t gap = 0;
  for (std::size_t a = 1; a < most; ++a) {
    for (std::size_t b = 1; a + gap + 1 + b <= most;) {
      if (costs[a + gap + 1 + b] <= costs[a] + costs[b]) {
        ++gap;
      } else {
        ++b;
      }
    }
  }
  return static_cast<std::uint32_t>(gap);
}

// least[k]: the least that k more cost, cost(n + k) - cost(n) over all n >= 1. Empty for tables too
// long to compare.
std::vector<std::int64_t> least_rises(const RequestCosts& costs) {
  constexpr std::size_t longest_table = 256;
  std::vector<std::int64_t> least;
  if (costs.size() > longest_table) return least;
  least.assign(costs.size(), 0);
  for (std::size_t k = 1; k < costs.size(); ++k) {
    std::int64_t rise = costs[k];
    for (std::size_t n = 1; n + k < costs.size(); ++n) {
      rise = std::min(rise, costs[n + k] - costs[n]);
    }
    least[k] = rise;
  }
  return least;
}

// One stretch of units that nothing divides, [begin, end).
class Stretch {
 public:
  Stretch(const std::vector<Unit>& units, const RequestCosts& costs,
          const std::vector<std::int64_t>& rises, std::size_t begin, std::size_t end)
      : units_(units), costs_(costs), rises_(rises), begin_(begin), end_(end) {
    for (std::size_t i = begin; i < end; ++i) periods_.push_back(units[i].every);
    std::sort(periods_.begin(), periods_.end());
    periods_.erase(std::unique(periods_.begin(), periods_.end()), periods_.end());
    weights_ = weights_of(periods_);
  }

  void solve(Partition& out) {
    if (periods_.size() == 1) {
      solve_runs(out);
    } else if (periods_.size() > most_periods || !solve_all(out)) {
      solve_runs(out);
      out.least = false;
    }
  }

 private:
  struct State {
    std::array<std::uint16_t, most_periods> opened{};  // unit after begin_, per period
    Cost cost;
    std::int32_t before = -1;  // state of the unit before
  };

  [[nodiscard]] std::size_t period_of(std::size_t unit) const {
    return static_cast<std::size_t>(
        std::lower_bound(periods_.begin(), periods_.end(), units_[unit].every) - periods_.begin());
  }
  [[nodiscard]] std::uint32_t quantity(std::size_t from, std::size_t to) const {
    return units_[to].end - units_[from].first;
  }
  [[nodiscard]] bool fits(std::size_t from, std::size_t to) const {
    return quantity(from, to) < costs_.size();
  }
  [[nodiscard]] Cost price(std::size_t from, std::size_t to, std::size_t period) const {
    return {costs_[quantity(from, to)] * weights_[period], 1};
  }

  // Disjoint runs, each at the shortest period in it: exact where there is one period.
  void solve_runs(Partition& out) const {
    const std::size_t n = end_ - begin_;
    std::vector<Cost> best(n + 1);
    std::vector<std::size_t> from(n + 1, 0);
    std::vector<std::size_t> chosen_period(n + 1, 0);
    for (std::size_t i = 0; i < n; ++i) {
      std::size_t period = periods_.size() - 1;
      bool any = false;
      for (std::size_t j = i + 1; j-- > 0;) {
        if (!fits(begin_ + j, begin_ + i)) break;
        period = std::min(period, period_of(begin_ + j));
        const Cost cost = best[j] + price(begin_ + j, begin_ + i, period);
        if (any && !(cost < best[i + 1])) continue;
        any = true;
        best[i + 1] = cost;
        from[i + 1] = j;
        chosen_period[i + 1] = period;
      }
    }
    std::vector<Request> requests;
    for (std::size_t i = n; i > 0; i = from[i]) {
      requests.push_back({begin_ + from[i], begin_ + i - 1, periods_[chosen_period[i]]});
    }
    out.requests.insert(out.requests.end(), requests.rbegin(), requests.rend());
  }

  // All states from left to right; false if there are too many.
  bool solve_all(Partition& out) {
    State start;
    start.opened.fill(closed);
    std::vector<std::vector<State>> layers{{start}};
    std::size_t total = 1;
    for (std::size_t i = begin_; i < end_; ++i) {
      layers.push_back(next_layer(layers.back(), i));
      total += layers.back().size();
      if (total > most_states) return false;
    }
    // close what is open
    const auto& last = layers.back();
    std::size_t best = 0;
    Cost least = closing_cost(last[0], end_ - 1);
    for (std::size_t s = 1; s < last.size(); ++s) {
      const Cost cost = closing_cost(last[s], end_ - 1);
      if (cost < least) {
        least = cost;
        best = s;
      }
    }
    collect(layers, best, out);
    return true;
  }

  [[nodiscard]] Cost closing_cost(const State& state, std::size_t last) const {
    Cost cost = state.cost;
    for (std::size_t p = 0; p < periods_.size(); ++p) {
      if (state.opened[p] != closed) cost = cost + price(begin_ + state.opened[p], last, p);
    }
    return cost;
  }

  struct KeyHash {
    std::size_t operator()(const std::array<std::uint16_t, most_periods>& key) const {
      std::uint64_t hash = 0;
      for (std::uint16_t part : key) hash = (hash << 16) | part;
      hash *= 0x9E3779B97F4A7C15ULL;
      return static_cast<std::size_t>(hash ^ (hash >> 32));
    }
  };

  // What each period's request can do at unit i: go on, end, begin, end and begin again.
  [[nodiscard]] std::vector<State> next_layer(const std::vector<State>& layer,
                                              std::size_t i) const {
    std::vector<State> next;
    std::unordered_map<std::array<std::uint16_t, most_periods>, std::size_t, KeyHash> index;
    const std::size_t served_by = period_of(i);
    for (std::size_t s = 0; s < layer.size(); ++s) {
      State state = layer[s];
      state.before = static_cast<std::int32_t>(s);
      branch(state, 0, i, served_by, false, [&](const State& made) {
        const auto [at, is_new] = index.try_emplace(made.opened, next.size());
        if (is_new) {
          next.push_back(made);
        } else if (made.cost < next[at->second].cost) {
          next[at->second] = made;
        }
      });
    }
    return rises_.empty() ? next : undominated(std::move(next), i);
  }

  // Where the open request of a period began; a closed one can begin with the next unit.
  [[nodiscard]] std::uint32_t position(const State& state, std::size_t p, std::size_t last) const {
    return state.opened[p] == closed ? units_[last].end : units_[begin_ + state.opened[p]].first;
  }

  // A can do whatever B will do, and never at a higher price: each of its requests begins where B's
  // does or later, so it is shorter from now on, and what that saves B at least has not paid yet.
  [[nodiscard]] bool dominates(const State& a, const State& b, std::size_t last) const {
    std::int64_t saved = 0;
    for (std::size_t p = 0; p < periods_.size(); ++p) {
      const std::uint32_t from_a = position(a, p, last);
      const std::uint32_t from_b = position(b, p, last);
      if (from_a < from_b) return false;
      const std::uint32_t shorter =
          std::min<std::uint32_t>(from_a - from_b, static_cast<std::uint32_t>(rises_.size() - 1));
      saved += rises_[shorter] * weights_[p];
    }
    const std::int64_t price_b = b.cost.time + saved;
    return a.cost.time < price_b || (a.cost.time == price_b && a.cost.requests <= b.cost.requests);
  }

  [[nodiscard]] std::vector<State> undominated(std::vector<State> states, std::size_t last) const {
    // those that have paid and begun latest are the likeliest to dominate
    std::stable_sort(states.begin(), states.end(), [&](const State& a, const State& b) {
      return a.cost.time + open_cost(a, last) < b.cost.time + open_cost(b, last);
    });
    std::vector<State> kept;
    for (const State& state : states) {
      const bool useless = std::any_of(kept.begin(), kept.end(), [&](const State& better) {
        return dominates(better, state, last);
      });
      if (!useless) kept.push_back(state);
    }
    return kept;
  }
  [[nodiscard]] std::int64_t open_cost(const State& state, std::size_t last) const {
    return closing_cost(state, last).time - state.cost.time;
  }

  template <class Sink>
  void branch(State state, std::size_t p, std::size_t i, std::size_t served_by, bool served,
              const Sink& sink) const {
    if (p == periods_.size()) {
      if (served) sink(state);
      return;
    }
    const std::uint16_t opened = state.opened[p];
    const auto here = static_cast<std::uint16_t>(i - begin_);
    const bool serves = p <= served_by;
    if (opened != closed && fits(begin_ + opened, i)) {
      branch(state, p + 1, i, served_by, served || serves, sink);
    }
    if (opened != closed) state.cost = state.cost + price(begin_ + opened, i - 1, p);
    state.opened[p] = closed;
    branch(state, p + 1, i, served_by, served, sink);
    // a request begins with a unit that it serves: else it could begin later
    if (!serves) return;
    state.opened[p] = here;
    branch(state, p + 1, i, served_by, true, sink);
  }

  void collect(const std::vector<std::vector<State>>& layers, std::size_t best,
               Partition& out) const {
    std::vector<Request> requests;
    std::array<std::uint16_t, most_periods> after{};
    after.fill(closed);
    std::size_t at = best;
    for (std::size_t layer = layers.size() - 1; layer > 0; --layer) {
      const State& state = layers[layer][at];
      for (std::size_t p = 0; p < periods_.size(); ++p) {
        if (state.opened[p] == closed || state.opened[p] == after[p]) continue;
        // open after unit `layer - 1`, and gone or begun anew after the next
        requests.push_back({begin_ + state.opened[p], begin_ + layer - 1, periods_[p]});
      }
      after = state.opened;
      at = static_cast<std::size_t>(state.before);
    }
    std::sort(requests.begin(), requests.end(), [](const Request& a, const Request& b) {
      return a.from != b.from ? a.from < b.from : a.every < b.every;
    });
    out.requests.insert(out.requests.end(), requests.begin(), requests.end());
  }

  const std::vector<Unit>& units_;
  const RequestCosts& costs_;
  const std::vector<std::int64_t>& rises_;
  std::size_t begin_;
  std::size_t end_;
  std::vector<Duration> periods_;
  std::vector<std::int64_t> weights_;
};

}  // namespace

Partition cover(const std::vector<Unit>& units, const RequestCosts& costs) {
  Partition out;
  const std::uint32_t widest = widest_gap(costs);
  const std::vector<std::int64_t> rises = least_rises(costs);
  std::size_t begin = 0;
  for (std::size_t i = 1; i <= units.size(); ++i) {
    if (i < units.size() && units[i].joins_before && units[i].first - units[i - 1].end <= widest) {
      continue;
    }
    Stretch(units, costs, rises, begin, i).solve(out);
    begin = i;
  }
  return out;
}

double load_of(const std::vector<Unit>& units, const RequestCosts& costs,
               const std::vector<Request>& requests) {
  double load = 0;
  for (const Request& r : requests) {
    load += static_cast<double>(costs[units[r.to].end - units[r.from].first]) /
            static_cast<double>(r.every.count());
  }
  return load;
}

}  // namespace greymet::packing
