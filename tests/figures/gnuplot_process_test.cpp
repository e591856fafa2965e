// gnuplot as a child that may be slow, broken, talkative or deceived: nothing counts as a picture
// that is none.
#include "figures/gnuplot_process.h"

#include <sys/stat.h>

#include <cstdlib>

#include <random>

#include <fmt/format.h>
#include <catch2/catch.hpp>

#include "process.h"

using namespace greymet;
using namespace greymet::figures;

namespace {

Script good(PictureFormat format) {
  return {format, common_look(format) + "plot x\n"};
}

Script saying(const std::string& text) {
  return {PictureFormat::svg, common_look(PictureFormat::svg) + text + "\n"};
}

// Another program in the place of gnuplot while the object lives.
class Impostor {
 public:
  explicit Impostor(const std::string& script) {
    folder_.write("gnuplot", "#!/bin/sh\n" + script + "\n");
    ::chmod(folder_.file("gnuplot").c_str(), 0755);
    ::setenv("PATH", (folder_.path() + ":" + path_).c_str(), 1);
  }
  Impostor(const Impostor&) = delete;
  Impostor& operator=(const Impostor&) = delete;
  ~Impostor() { ::setenv("PATH", path_.c_str(), 1); }

 private:
  std::string path_ = std::getenv("PATH");
  test::TemporaryFolder folder_;
};

}  // namespace

TEST_CASE("a script that fails says why, and the others are drawn") {
  const auto pictures =
      render({good(PictureFormat::svg), saying("plot nonsense(x)"), good(PictureFormat::png),
              saying("exit"), good(PictureFormat::svg)});
  REQUIRE(pictures.size() == 5);
  CHECK(pictures[0].has_value());
  CHECK(pictures[1].error().starts_with("gnuplot could not draw the figure: "));
  CHECK(pictures[1].error().find("undefined function: nonsense") != std::string::npos);
  CHECK(pictures[2].has_value());
  CHECK_FALSE(pictures[3].has_value());
  CHECK(pictures[4] == pictures[0]);  // nothing of what failed before is left
}

TEST_CASE("a crowd of figures needs few runs, and says how far it is") {
  const std::vector<Script> crowd(70, saying("plot x"));
  std::vector<double> seen;
  const auto pictures = render(crowd, [&](double done) { seen.push_back(done); });
  REQUIRE(pictures.size() == crowd.size());
  for (const auto& picture : pictures) CHECK(picture == pictures.front());
  CHECK(std::is_sorted(seen.begin(), seen.end()));
  CHECK(seen.back() == 1.0);
  CHECK(render(std::vector<Script>{}).empty());
}

TEST_CASE("the user's own settings change nothing") {
  const test::TemporaryFolder home;
  home.write(".gnuplot", "set title 'mine'\nset terminal dumb\n");
  const std::string before = std::getenv("HOME") != nullptr ? std::getenv("HOME") : "";
  const auto plain = render(PictureFormat::svg, good(PictureFormat::svg).text);
  ::setenv("HOME", home.path().c_str(), 1);
  ::setenv("GNUTERM", "dumb", 1);
  const auto with_settings = render(PictureFormat::svg, good(PictureFormat::svg).text);
  ::setenv("HOME", before.c_str(), 1);
  ::unsetenv("GNUTERM");
  REQUIRE(plain.has_value());
  CHECK(with_settings == plain);
}

TEST_CASE("one that takes too long or draws too much is stopped") {
  RenderLimits limits;
  limits.time = std::chrono::milliseconds(300);
  const auto slow = render({saying("pause 60"), good(PictureFormat::svg)}, {}, limits);
  CHECK(slow[0].error() == "gnuplot took longer than 300 ms");
  limits = {};
  limits.bytes = 1000;
  const auto large = render({good(PictureFormat::svg)}, {}, limits);
  CHECK_FALSE(large[0].has_value());
}

TEST_CASE("what is no picture of its kind does not count, whatever gnuplot says of it") {
  const std::string mark = "echo greymet-figure-done 0 0 >&2";
  for (const char* drawn : {"true", "printf '<svg></svg>'", "printf '<?xml?><svg>'",
                            "printf '\\211PNG\\r\\n\\032\\nand no end'"}) {
    INFO(drawn);
    const Impostor impostor("cat >/dev/null; " + std::string(drawn) + " >/dev/fd/10; " + mark);
    for (const auto format : {PictureFormat::svg, PictureFormat::png}) {
      CHECK(render(format, "").error() == "gnuplot made no whole picture");
    }
  }
  {
    const Impostor impostor("echo 'no fonts' >&2; exit 1");
    CHECK(render(PictureFormat::svg, "").error() == "gnuplot could not draw the figure: no fonts");
  }
  {
    const Impostor impostor("kill -9 $$");
    CHECK(render(PictureFormat::svg, std::string(1 << 20, ' ')).error() ==
          "gnuplot could not draw the figure: it was ended by signal 9");
  }
  ::setenv("PATH", "/nonexistent", 1);
  const auto missing = render(PictureFormat::svg, "");
  ::setenv("PATH", "/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin", 1);
  CHECK(missing.error() == "gnuplot cannot be started: No such file or directory");
}

TEST_CASE("any name is drawn as it is, or as an escape, and the SVG stays XML") {
  // quotes, markup, gnuplot's own signs, controls, what turns the direction, and no UTF-8 at all
  const std::string name =
      "it's \"<b>&amp;\" `date` @x {/Bold} %d_^\x1b[2J\xC2\x9B\xE2\x80\xAE\xEF\xBF\xBF\xFF";
  const std::string script = common_look(PictureFormat::svg) +
                             heading(name, name, 0.1, PictureFormat::svg) + "set xtics (" +
                             quoted_tic(name) + " 0)\nplot x title " + script_text(name) + "\n";
  const auto picture = render(PictureFormat::svg, script);
  REQUIRE(picture.has_value());
  CHECK(picture->find("it's \"&lt;b>&amp;amp;\" `date` @x {/Bold} %d_^\\u{1B}[2J\\u{9B}\\u{202E}"
                      "\\u{FFFF}\\xFF") != std::string::npos);
  for (const char c : *picture) {
    CHECK((static_cast<unsigned char>(c) >= 0x20 || c == '\n' || c == '\t' || c == '\r'));
  }
  const auto outcome = [&] {
    const test::TemporaryFolder folder;
    folder.write("a.svg", *picture);
    return test::run_program(
        "/usr/bin/python3",
        {"-c", "import sys,xml.dom.minidom as m; m.parse(sys.argv[1])", folder.file("a.svg")},
        folder.path());
  };
  if (::access("/usr/bin/python3", X_OK) == 0) CHECK(outcome().status == 0);
}

TEST_CASE("every text of every figure stands in its SVG as it is shown") {
  // what has to do with the quotes of scripts, data and XML
  std::mt19937_64 random(11);
  std::vector<std::string> names{"level 3'' pipe", "'front",  "end'",          "''",
                                 "a]]>b",          "x'1",     "'7'8",          "\"dq\" end\"",
                                 "%d 5 %",         "`date`'", "it's \\ 3\\'4", "@a'b$c"};
  for (int i = 0; i < 40; ++i) {
    std::string name;
    for (int k = 0; k < 8; ++k) name += "'\"]>\\%@`$ a1,(){}"[random() % 17];
    names.push_back("n" + name + "m");
  }
  std::string labels = common_look(PictureFormat::svg);
  for (std::size_t i = 0; i < names.size(); ++i) {
    labels += fmt::format("set label {} {} at 0,{}\n", i + 10, script_text(names[i]), i);
  }
  labels += "set xtics (";
  for (std::size_t i = 0; i < names.size(); ++i) {
    labels += fmt::format("{}{} {}", i > 0 ? ", " : "", quoted_tic("t" + names[i]), i);
  }
  labels += ")\nset xrange [0:60]\nset yrange [0:60]\nplot NaN notitle\n";
  const auto picture = render(PictureFormat::svg, labels);
  REQUIRE(picture.has_value());
  std::string text = *picture;
  for (const auto& [escape, plain] : std::vector<std::pair<std::string, std::string>>{
           {"&lt;", "<"}, {"&gt;", ">"}, {"&quot;", "\""}, {"&amp;", "&"}, {"&#39;", "'"}}) {
    CHECK(picture->find("]]>") == std::string::npos);
    for (std::size_t at = 0; (at = text.find(escape, at)) != std::string::npos; ++at) {
      text.replace(at, escape.size(), plain);
    }
  }
  for (const std::string& name : names) {
    INFO(name);
    CHECK(text.find(">" + name + "<") != std::string::npos);
    CHECK(text.find(">t" + name + "<") != std::string::npos);
  }
}
