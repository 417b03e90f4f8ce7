// The README's commands and examples do what it says.
#include <gyrax/files/text_file.hpp>

#include <doctest/doctest.h>

#include <array>
#include <cstdio>
#include <filesystem>
#include <sstream>
#include <string>

namespace {

std::string file(const std::string& path) { return gyrax::read_text(path, 1 << 24).text; }

std::string output_of(const std::string& command) {
  std::string out;
  std::FILE* pipe = ::popen((command + " 2>/dev/null").c_str(), "r");
  REQUIRE(pipe != nullptr);
  std::array<char, 4096> buffer{};
  while (const std::size_t got = std::fread(buffer.data(), 1, buffer.size(), pipe)) out.append(buffer.data(), got);
  ::pclose(pipe);
  return out;
}

}  // namespace

TEST_CASE("Each console block: the command says those lines, in that order") {
  std::istringstream readme(file("README.md"));
  std::string line, output;
  bool console = false;
  std::size_t commands = 0, from = 0;
  while (std::getline(readme, line)) {
    if (line.starts_with("```")) {
      console = line == "```console";
      continue;
    }
    if (!console) continue;
    if (line.starts_with("$ gyrax ")) {
      output = output_of(GYRAX_TOOL_PATH + line.substr(7));
      from = 0;
      ++commands;
      continue;
    }
    CAPTURE(line);
    const std::size_t at = output.find(line + "\n", from);
    CHECK(at != std::string::npos);
    if (at != std::string::npos) from = at;
  }
  CHECK(commands >= 1);
}

TEST_CASE("The ten lines are the example's, with its output") {
  const std::string readme = file("README.md"), example = file("examples/00_ten_lines.cpp");
  CHECK(readme.find(example.substr(example.find("int main"))) != std::string::npos);
  CHECK(readme.find("```\n" + file("examples/00_ten_lines.expected") + "```") != std::string::npos);
}

TEST_CASE("Every file that the README and the documents point to is there") {
  namespace fs = std::filesystem;
  std::size_t links = 0;
  for (const char* document : {"README.md", "docs/rig.md", "docs/permit.md", "docs/live.md", "docs/formats.md",
                               "docs/benchmarks.md", "docs/flow.md", "CONTRIBUTING.md"}) {
    const std::string text = file(document);
    for (std::size_t at = 0; (at = text.find("](", at)) != std::string::npos; ++at) {
      const std::string target = text.substr(at + 2, text.find(')', at) - at - 2);
      CAPTURE(target);
      CHECK(fs::exists(fs::path(document).parent_path() / target));
      ++links;
    }
  }
  CHECK(links > 10);
}

TEST_CASE("Every test that docs/motion.md names for a guarantee is there") {
  std::string tests;
  for (const auto& entry : std::filesystem::recursive_directory_iterator("tests"))
    if (entry.path().extension() == ".cpp") tests += file(entry.path().string());
  const std::string page = file("docs/motion.md");
  const std::size_t end = page.find("\nA steady direction");
  std::size_t at = page.find("## Guarantees"), named = 0;
  REQUIRE(end != std::string::npos);
  while ((at = page.find('"', at)) < end) {
    const std::size_t close = page.find('"', at + 1);
    const std::string name = page.substr(at + 1, close - at - 1);
    CAPTURE(name);
    CHECK(tests.find("TEST_CASE(\"" + name) != std::string::npos);
    at = close + 1;
    ++named;
  }
  CHECK(named > 10);
}
