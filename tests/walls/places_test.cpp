// The table "to add a thing" of CONTRIBUTING.md: its files are there, and each still holds what the table sends one
// for.
#include <doctest/doctest.h>

#include <filesystem>
#include <fstream>
#include <iterator>
#include <regex>
#include <string>
#include <vector>

namespace {

std::string read(const std::string& path) {
  std::ifstream in(path);
  return {std::istreambuf_iterator<char>(in), {}};
}

std::vector<std::string> quoted(const std::string& cell) {
  std::vector<std::string> all;
  const std::regex word("`([^`]+)`");
  for (std::sregex_iterator at(cell.begin(), cell.end(), word), end; at != end; ++at) all.push_back((*at)[1]);
  return all;
}

}  // namespace

TEST_CASE(
    "To add a thing: every row of CONTRIBUTING names files that are there, at most three, and words that stand in "
    "them") {
  const std::string text = read("CONTRIBUTING.md");
  const std::regex row(R"(\n\| (an? [^|]+) \| ([^|]+) \| ([^|]+) \|)");
  std::size_t rows = 0;
  for (std::sregex_iterator at(text.begin(), text.end(), row), end; at != end; ++at) {
    ++rows;
    CAPTURE((*at)[1].str());
    const std::vector<std::string> files = quoted((*at)[2]), words = quoted((*at)[3]);
    CHECK(!files.empty());
    CHECK(files.size() <= 3);
    std::string all;
    for (const std::string& file : files) {
      CAPTURE(file);
      CHECK(std::filesystem::is_regular_file(file));
      all += read(file);
    }
    // Folders are no words of the code.
    for (const std::string& word : words) {
      CAPTURE(word);
      CHECK((word.back() == '/' || all.find(word) != std::string::npos));
    }
  }
  CHECK(rows == 11);
}
