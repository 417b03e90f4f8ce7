#include <gyrax/files/problem.hpp>
#include <gyrax/files/text_file.hpp>

#include "support/folder.hpp"

#include <doctest/doctest.h>

#include <sys/stat.h>
#include <unistd.h>
#include <filesystem>
#include <set>
#include <string>

namespace fs = std::filesystem;

namespace {

using gyrax::test::Folder;

}  // namespace

TEST_CASE("A text comes back as it was written, and a second one replaces the first") {
  const Folder folder;
  const std::string file = folder / "a.txt";
  CHECK_FALSE(gyrax::write_text(file, "one\n"));
  CHECK_FALSE(gyrax::write_text(file, "two\n"));
  const gyrax::Text read = gyrax::read_text(file, 100);
  CHECK_FALSE(read.error);
  CHECK(read.text == "two\n");
  CHECK(std::distance(fs::directory_iterator(folder.path), {}) == 1);  // nothing is left behind
}

TEST_CASE("What is no file is refused before a byte is read, with a reason") {
  const Folder folder;
  ::mkfifo((folder / "pipe").c_str(), 0600);
  gyrax::write_text(folder / "large", std::string(101, 'x'));
  const struct {
    std::string path;
    const char* says;
  } cases[] = {{folder / "missing", "no file"},
               {folder.path.string(), "folder"},
               {folder / "pipe", "pipe or a device"},
               {"/dev/zero", "pipe or a device"},
               {folder / "large", "101 bytes; at most 100"}};
  for (const auto& c : cases) {
    CAPTURE(c.path);
    const gyrax::Text read = gyrax::read_text(c.path, 100);
    CHECK(read.error);
    CHECK(read.text.empty());
    CHECK(read.why.find(c.says) != std::string::npos);
  }
}

TEST_CASE("A file that claims to be huge is refused without being read") {
  const Folder folder;
  const std::string file = folder / "huge";
  gyrax::write_text(file, "x");
  REQUIRE(::truncate(file.c_str(), 2'000'000'000) == 0);  // two gigabytes that take no room
  CHECK(gyrax::read_text(file, 1 << 20).why.find("at most 1048576") != std::string::npos);
}

TEST_CASE("Writing where one cannot is an error, and the old text stays") {
  CHECK(gyrax::write_text("no/such/folder/a.txt", "x"));
}

TEST_CASE("Every code has a stable name of its own and a meaning") {
  std::set<std::string> names;
  for (int i = 0; i < gyrax::code_count; ++i) {
    names.insert(gyrax::code_name(static_cast<gyrax::Code>(i)));
    CHECK(std::string(gyrax::code_meaning(static_cast<gyrax::Code>(i))).size() > 20);
  }
  CHECK(names.size() == gyrax::code_count);
}

TEST_CASE("Of words, the one that was probably meant") {
  const std::vector<std::string> words{"travel", "speed", "accel", "decel"};
  CHECK(gyrax::nearest("travle", words) == "travel");
  CHECK(gyrax::nearest("acel", words) == "accel");
  CHECK(gyrax::nearest("colour", words).empty());
  CHECK(gyrax::nearest("stpo", {"stow", "stop"}) == "stop");  // two letters swapped are one slip
  CHECK(gyrax::nearest(std::string(1'000'000, 's'), words).empty());
}
