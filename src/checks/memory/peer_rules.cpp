// Family M between controllers: words of a peer that one master writes and reads back (M15).
#include <algorithm>
#include <map>
#include <vector>

#include "checks/rules.h"
#include "common/rule_text.h"
#include "model/resolved_plan.h"

namespace greymet::checks {

namespace {

// Memory of a peer behind a block of one transaction.
struct PeerUse {
  BitRange bits;
  std::size_t transaction = 0;
};

}  // namespace

void check_peer_words(const RuleInput& in, Findings& out) {
  const auto& plan = in.plan;
  struct Both {
    std::vector<PeerUse> written;
    std::vector<PeerUse> read;
  };
  std::map<std::pair<std::size_t, std::size_t>, Both> by_pair;  // master and peer
  for (std::size_t i = 0; i < plan.transactions.size(); ++i) {
    const ResolvedTransaction& t = plan.transactions[i];
    if (!t.controller || !t.target || !t.target->is_peer) continue;
    const auto add = [&](const std::optional<DeviceBlock>& block, bool wrong,
                         std::vector<PeerUse>& uses) {
      if (!block || wrong) return;
      const auto memory =
          plan.layouts[t.target->index].serving(block->area, block->offset, block->quantity);
      if (memory) uses.push_back({memory->bits, i});
    };
    Both& both = by_pair[{*t.controller, t.target->index}];
    add(t.write, in.range_is_wrong[i].write, both.written);
    add(t.read, in.range_is_wrong[i].read, both.read);
  }
  for (auto& [key, both] : by_pair) {
    const auto by_place = [](const PeerUse& a, const PeerUse& b) {
      return std::pair(a.bits.store, a.bits.first) < std::pair(b.bits.store, b.bits.first);
    };
    std::stable_sort(both.written.begin(), both.written.end(), by_place);
    std::stable_sort(both.read.begin(), both.read.end(), by_place);
    std::size_t from = 0;
    for (const PeerUse& read : both.read) {
      const auto meets = [&](const PeerUse& w) {
        return w.bits.store == read.bits.store && w.bits.first < read.bits.end &&
               read.bits.first < w.bits.end && w.transaction != read.transaction;
      };
      // what ends before this one begins ends before all that follow, as a rule: looked at again
      // only while it is near
      while (from < both.written.size() &&
             std::pair(both.written[from].bits.store, both.written[from].bits.end) <=
                 std::pair(read.bits.store, read.bits.first)) {
        ++from;
      }
      const auto end = std::find_if(both.written.begin() + static_cast<std::ptrdiff_t>(from),
                                    both.written.end(), [&](const PeerUse& w) {
                                      return std::pair(w.bits.store, w.bits.first) >=
                                             std::pair(read.bits.store, read.bits.end);
                                    });
      const auto other =
          std::find_if(both.written.begin() + static_cast<std::ptrdiff_t>(from), end, meets);
      if (other == end) continue;
      const ResolvedTransaction& r = plan.transactions[read.transaction];
      const ResolvedTransaction& w = plan.transactions[other->transaction];
      const BitRange shared{read.bits.store, std::max(read.bits.first, other->bits.first),
                            std::min(read.bits.end, other->bits.end)};
      const auto& layout = plan.layouts[key.second];
      report(out, RuleCode::M15, Severity::warning, r.read->at_place, subject_of(plan.declared(r)),
             fmt::format("reads {} of controller {}, which {} writes: what it brings is what was "
                         "sent, not what the peer has to say",
                         layout.name_of(shared), layout.controller().name,
                         subject_of(plan.declared(w))),
             "read other words, or write others: each direction its own; accept it if the echo is "
             "wanted",
             {{w.write->at_place, "the write is here"}});
    }
  }
}

}  // namespace greymet::checks
