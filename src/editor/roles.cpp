#include "editor/roles.h"

#include <algorithm>
#include <array>

namespace greymet::editor {

namespace {

struct RoleRow {
  std::string_view path;
  std::string_view key;
  Role role = Role::none;
};

constexpr std::array<RoleRow, 52> rows{{
    {"controller.*", "model", Role::file},
    {"controller.*", "tags", Role::file},
    {"controller.*", "fingerprint", Role::memory},
    {"controller.*.answers", "line", Role::line},
    {"line.*", "master", Role::controller},
    {"line.*", "via", Role::gateway},
    {"slave.*", "line", Role::line},
    {"slave.*", "map", Role::file},
    {"slave.*", "like", Role::slave},
    {"exchange", "table", Role::file},
    {"exchange.transactions", "name", Role::own_name},
    {"exchange.transactions", "controller", Role::controller},
    {"exchange.transactions", "slave", Role::asked},
    {"exchange.transactions", "at", Role::point},
    {"exchange.transactions", "points", Role::point},
    {"exchange.transactions", "into", Role::memory},
    {"exchange.transactions", "from", Role::memory},
    {"exchange.transactions", "on", Role::memory},
    {"exchange.transactions", "only_if", Role::memory},
    {"exchange.transactions.read", "at", Role::point},
    {"exchange.transactions.read", "points", Role::point},
    {"exchange.transactions.read", "into", Role::memory},
    {"exchange.transactions.write", "at", Role::point},
    {"exchange.transactions.write", "points", Role::point},
    {"exchange.transactions.write", "from", Role::memory},
    {"exchange.transactions.status", "busy", Role::memory},
    {"exchange.transactions.status", "done", Role::memory},
    {"exchange.transactions.status", "failed", Role::memory},
    {"exchange.transactions.status", "exception", Role::memory},
    {"exchange.copies", "controller", Role::controller},
    {"exchange.copies", "from", Role::memory},
    {"exchange.copies", "to", Role::memory},
    {"exchange.wants", "controller", Role::controller},
    {"exchange.wants", "slave", Role::slave},
    {"exchange.wants", "points", Role::point},
    {"exchange.wants", "into", Role::memory},
    {"exchange.wants", "from", Role::memory},
    {"exchange.wants", "on", Role::memory},
    {"exchange.wants", "only_if", Role::memory},
    {"supervision.heartbeats", "name", Role::own_name},
    {"supervision.heartbeats", "from", Role::controller},
    {"supervision.heartbeats", "to", Role::controller},
    {"supervision.heartbeats", "bit", Role::memory},
    {"supervision.heartbeats", "seen", Role::memory},
    {"supervision.paths", "name", Role::own_name},
    {"supervision.paths", "from", Role::place},
    {"supervision.paths", "to", Role::place},
    {"review.accepts", "at", Role::subject},
    {"review.accepts", "rule", Role::rule},
    {"tags", "from", Role::place},
    {"tags", "to", Role::place},
    {"tags", "address", Role::memory},
}};

}  // namespace

Role role_of(std::string_view path, std::string_view key) {
  const auto* const at = std::find_if(rows.begin(), rows.end(), [&](const RoleRow& row) {
    return row.path == path && row.key == key;
  });
  return at == rows.end() ? Role::none : at->role;
}

}  // namespace greymet::editor
