#include "html.h"

#include <fmt/format.h>
#include <openssl/evp.h>

#include "model/duration_text.h"
#include "model/utf8_text.h"

namespace greymet::exports {
namespace {

constexpr std::string_view style = R"(
:root { color-scheme: light dark; --ink: #2b3138; --soft: #5a646e; --rule: #cdd4db; --page: #ffffff;
  --band: #f6f8fa; --head: #1f4b7a; --good: #2f6b3a; --warn: #a8540c; --bad: #a3271f; --card: #ffffff; }
@media screen and (prefers-color-scheme: dark) {
  :root { --ink: #dfe4e9; --soft: #9aa5b0; --rule: #3a434c; --page: #14181c; --band: #1c2227;
    --head: #8fbce6; --good: #7fc48c; --warn: #e6a15e; --bad: #ef8a80; --card: #1a2025; } }
* { box-sizing: border-box; }
body { margin: 0 auto; padding: 28px 32px 60px; max-width: 1240px; background: var(--page); color: var(--ink);
  font: 14px/1.45 "DejaVu Sans", Verdana, Arial, sans-serif; }
h1 { font-size: 25px; margin: 0 0 2px; color: var(--head); }
h2 { font-size: 18px; margin: 34px 0 8px; padding-top: 6px; border-top: 2px solid var(--head); color: var(--head); }
h3 { font-size: 14px; margin: 18px 0 6px; }
p, ul { margin: 6px 0; max-width: 92ch; }
.soft, figcaption, .fingerprint { color: var(--soft); }
.fingerprint { font-family: "DejaVu Sans Mono", monospace; font-size: 12px; overflow-wrap: anywhere; }
.wide { overflow-x: auto; }
ul.more { display: flex; flex-wrap: wrap; gap: 0 16px; margin: 0 0 2px 14px; padding: 0; list-style: none; max-width: 150ch; color: var(--soft); }
ul.more i { font-style: normal; opacity: .75; } tr.first td { border-bottom: none; padding-bottom: 0; } tr.more td { padding-top: 0; white-space: normal; }
table { border-collapse: collapse; font-size: 12.5px; margin: 6px 0 12px; }
th { text-align: left; border-bottom: 2px solid var(--rule); padding: 4px 12px 4px 0; font-weight: 600; vertical-align: bottom; }
td { border-bottom: 1px solid var(--rule); padding: 3px 12px 3px 0; vertical-align: top; overflow-wrap: anywhere; }
th.n { white-space: normal; } td:first-child { white-space: nowrap; }
.n { text-align: right; font-variant-numeric: tabular-nums; } td.n { white-space: nowrap; }
td.c { white-space: nowrap; }
tr.bad td { background: color-mix(in srgb, var(--bad) 12%, transparent); }
.good { color: var(--good); font-weight: 600; } .warn { color: var(--warn); font-weight: 600; }
.bad { color: var(--bad); font-weight: 600; }
.cards { display: grid; grid-template-columns: repeat(auto-fill, minmax(260px, 1fr)); gap: 10px; margin: 14px 0; padding: 0; list-style: none; max-width: none; }
.cards li { background: var(--band); border: 1px solid var(--rule); border-left: 5px solid var(--soft); padding: 8px 12px; }
.cards li.g { border-left-color: var(--good); } .cards li.w { border-left-color: var(--warn); } .cards li.b { border-left-color: var(--bad); }
.cards b { display: block; }
figure { margin: 12px 0; break-inside: avoid; }
figure img { width: 100%; max-width: 1100px; border: 1px solid var(--rule); background: #ffffff; }
svg.net { width: 100%; height: auto; max-width: 1180px; }
.box { display: inline-block; width: 13px; height: 13px; border: 1.5px solid var(--ink); vertical-align: -2px; }
.sign, .entry { min-width: 84px; height: 1.3em; border-bottom: 1px dotted var(--soft); }
nav { display: flex; flex-wrap: wrap; gap: 2px 16px; margin: 8px 0; } nav a { color: var(--head); }
@page { size: A4; margin: 13mm; }
@media print {
  body { padding: 0; max-width: none; font-size: 10.5px; } nav { display: none; }
  h1 { font-size: 18px; } h2 { font-size: 14px; margin-top: 16px; break-after: avoid; } h3 { break-after: avoid; font-size: 11.5px; }
  table { font-size: 8.4px; width: 100%; } th, td { padding-right: 5px; } tr, figure, .cards li { break-inside: avoid; }
  thead { display: table-header-group; } .wide { overflow: visible; } .cards { grid-template-columns: repeat(3, 1fr); gap: 5px; }
  h2.page { break-before: page; } td.c, .n { white-space: normal; } .sign, .entry { min-width: 40px; } }
)";

std::string base64(std::string_view bytes) {
  std::string out(4 * ((bytes.size() + 2) / 3) + 1, '\0');
  const int length = EVP_EncodeBlock(reinterpret_cast<unsigned char*>(out.data()),
                                     reinterpret_cast<const unsigned char*>(bytes.data()),
                                     static_cast<int>(bytes.size()));
  out.resize(static_cast<std::size_t>(length));
  return out;
}

}  // namespace

std::string html(std::string_view text) {
  std::string out;
  for (const char c : model::shown(text)) {
    switch (c) {
      case '&': out += "&amp;"; break;
      case '<': out += "&lt;"; break;
      case '>': out += "&gt;"; break;
      case '"': out += "&quot;"; break;
      case '\'': out += "&#39;"; break;
      default: out += c;
    }
  }
  return out;
}

std::string limit_html(const std::optional<model::Duration>& d) {
  return d ? model::ms_at_most(*d) : "–";
}

std::string picture_html(std::string_view svg, std::string_view caption) {
  return fmt::format(
      "<figure><img alt=\"{0}\" src=\"data:image/svg+xml;base64,{1}\"><figcaption>{0}</figcaption>"
      "</figure>\n",
      html(caption), base64(svg));
}

HtmlTable::HtmlTable(const std::vector<std::string>& heading) {
  text_ = "<div class=\"wide\"><table><thead><tr>";
  for (const std::string& cell : heading) {
    const bool number = cell.starts_with('>');
    numbers_.push_back(number);
    text_ += fmt::format("<th{}>{}</th>", number ? " class=\"n\"" : "",
                         html(std::string_view(cell).substr(number ? 1 : 0)));
  }
  text_ += "</tr></thead><tbody>\n";
}

void HtmlTable::row(const std::vector<std::string>& cells, std::string_view of_class) {
  ++rows_;
  text_ += of_class.empty() ? std::string("<tr>") : fmt::format("<tr class=\"{}\">", of_class);
  for (std::size_t i = 0; i < cells.size(); ++i) {
    text_ += fmt::format("<td{}>{}</td>", numbers_[i] ? " class=\"n\"" : "", cells[i]);
  }
  text_ += "</tr>\n";
}

std::string HtmlTable::text(std::string_view none) const {
  if (rows_ == 0) return fmt::format("<p class=\"soft\">{}</p>\n", html(none));
  return text_ + "</tbody></table></div>\n";
}

std::string page_html(std::string_view title, std::string_view body) {
  return fmt::format(
      "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n"
      "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n"
      "<title>{}</title>\n<style>{}</style>\n</head>\n<body>\n{}</body>\n</html>\n",
      html(title), style, body);
}

std::string mark_html(std::string_view kind, std::string_view text) {
  return fmt::format("<span class=\"{}\">{}</span>", kind, html(text));
}

}  // namespace greymet::exports
