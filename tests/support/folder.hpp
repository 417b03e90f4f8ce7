// A folder of a test's own, gone with it.
#pragma once

#include <unistd.h>
#include <filesystem>
#include <string>

namespace gyrax::test {

struct Folder {
  std::filesystem::path path = std::filesystem::temp_directory_path() / ("gyrax-test-" + std::to_string(::getpid()));
  Folder() { std::filesystem::create_directories(path); }
  ~Folder() { std::filesystem::remove_all(path); }
  Folder(const Folder&) = delete;
  Folder& operator=(const Folder&) = delete;
  std::string operator/(const std::string& name) const { return (path / name).string(); }
};

}  // namespace gyrax::test
