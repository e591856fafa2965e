#!/bin/bash
# Neovim as the client of `greymet editor`, headless: findings, a change, hover, definition,
# completion, a quick fix, all fixes, a new name, rows in columns.
set -euo pipefail
program="$1"
examples="$2"
command -v nvim >/dev/null || { echo "skipped: no nvim"; exit 77; }
folder="$(mktemp -d)"
trap 'rm -rf "$folder"' EXIT
cp -r "$examples"/. "$folder"
export XDG_CONFIG_HOME="$folder/config" XDG_DATA_HOME="$folder/data" XDG_STATE_HOME="$folder/state"
export XDG_CACHE_HOME="$folder/cache" PROGRAM="$program" FOLDER="$folder"

cat >"$folder/drive.lua" <<'LUA'
local folder = os.getenv("FOLDER")
local out = io.open(folder .. "/out.txt", "w")
local function say(...) out:write(table.concat({ ... }, " "), "\n") out:flush() end
local function finish(message)
  if message then say("FAILED " .. message) end
  out:close()
  vim.cmd("qa!")
end

local ok, problem = pcall(function()
  local client = vim.lsp.start_client({ name = "greymet", cmd = { os.getenv("PROGRAM"), "editor" } })
  assert(client, "the server does not start")
  local function edit(name)
    vim.cmd("edit " .. folder .. "/" .. name)
    local buffer = vim.api.nvim_get_current_buf()
    vim.lsp.buf_attach_client(buffer, client)
    return buffer
  end
  local function findings(buffer) return vim.diagnostic.get(buffer) end
  local function wait_for(what, test)
    assert(vim.wait(20000, test, 20), "waited in vain for " .. what)
  end
  local function place(words, behind)
    local lines = vim.api.nvim_buf_get_lines(0, 0, -1, false)
    for i, line in ipairs(lines) do
      local at = line:find(words, 1, true)
      if at then
        return { line = i - 1, character = at - 1 + behind }
      end
    end
    error("not there: " .. words)
  end
  local function ask(method, params)
    params.textDocument = vim.lsp.util.make_text_document_params()
    local answers = vim.lsp.buf_request_sync(0, method, params, 20000)
    assert(answers, "no answer to " .. method)
    for _, answer in pairs(answers) do
      assert(not answer.error, vim.inspect(answer.error))
      return answer.result
    end
    error("no answer to " .. method)
  end
  local function at(words, behind) return { position = place(words, behind) } end

  -- findings of a plan with slips, and one fixed by hand
  local buffer = edit("slips.toml")
  wait_for("findings", function() return #findings(buffer) > 5 end)
  local before = #findings(buffer)
  say("findings", before)
  local line = place("retires", 0).line
  vim.api.nvim_buf_set_text(buffer, line, 0, line, #"retires", { "retries" })
  wait_for("one finding less", function() return #findings(buffer) == before - 1 end)
  say("typed")

  -- a quick fix
  local medium = place("RS-485", 0)
  local actions = ask("textDocument/codeAction", {
    range = { start = medium, ["end"] = medium },
    context = { diagnostics = {}, only = { "quickfix" } },
  })
  say("fix", actions[1].title)
  vim.lsp.util.apply_workspace_edit(actions[1].edit, "utf-16")
  wait_for("two findings less", function() return #findings(buffer) == before - 2 end)

  -- all certain fixes: the server sends them, the editor applies them
  ask("workspace/executeCommand", { command = "greymet.fix-all", arguments = { vim.uri_from_bufnr(buffer) } })
  wait_for("all fixes", function()
    return table.concat(vim.api.nvim_buf_get_lines(buffer, 0, -1, false), "\n"):find("baud    = 19200", 1, true)
  end)
  wait_for("no errors", function()
    for _, each in ipairs(findings(buffer)) do
      if each.severity == vim.diagnostic.severity.ERROR then return false end
    end
    return true
  end)
  say("all fixed")

  -- the demo: what stands behind its words
  local demo = edit("maltings.toml")
  wait_for("notes", function() return #findings(demo) > 0 end)
  say("hover", (ask("textDocument/hover", at('name = "burner-in"', 10)).contents.value:gsub("\n", " ")))
  local made = ask("textDocument/definition", at('slave = "burner"', 10))
  say("definition", made[1].range.start.line)
  say("references", #ask("textDocument/references",
    vim.tbl_extend("force", at("[slave.burner]", 8), { context = { includeDeclaration = true } })))
  local proposals = ask("textDocument/completion", at('holes      = "refuse"', 14))
  say("completion", proposals.items[1].label, proposals.items[2].label, proposals.items[3].label)
  say("outline", #ask("textDocument/documentSymbol", {}))
  local renamed = ask("textDocument/rename",
    vim.tbl_extend("force", at("[slave.burner]", 8), { newName = "brenner" }))
  vim.lsp.util.apply_workspace_edit(renamed, "utf-16")
  say("renamed", place('slave = "brenner"', 0).line > 0 and "yes" or "no")
  local rows = place('{ name = "burner-in"', 0).line
  vim.api.nvim_buf_set_text(demo, rows, 4, rows, 4, { "   " })
  local edits = ask("textDocument/formatting", { options = { tabSize = 2, insertSpaces = true } })
  vim.lsp.util.apply_text_edits(edits, demo, "utf-16")
  say("row", vim.api.nvim_buf_get_lines(demo, rows, rows + 1, false)[1]:sub(1, 44))
  vim.lsp.stop_client(client)
  wait_for("its end", function() return vim.lsp.client_is_stopped(client) end)
  say("ended")
end)
finish(not ok and tostring(problem) or nil)
LUA

timeout 120 nvim --headless -n -u NONE -i NONE -S "$folder/drive.lua" >"$folder/nvim.log" 2>&1 || true
fail() { echo "FAILED: $1"; cat "$folder/out.txt" "$folder/nvim.log"; exit 1; }
grep -q '^ended$' "$folder/out.txt" || fail "Neovim did not come to the end"
has() { grep -qF -- "$1" "$folder/out.txt" || fail "no line with: $1"; }
has 'findings 12'
has 'fix write "rs485"'
has 'all fixed'
has 'hover **transaction `burner-in`**: `kiln` asks `burner` by function 4'
has 'request `01 04 00 00 00 15 31 C5` (8 bytes)'
has 'definition 86'
has 'references 36'
has 'completion refuse zero unknown'
has 'renamed yes'
has 'row   { name = "burner-in",       slave = "brenn'
echo "Neovim and the server agree"
