/// What a logbook has to know of the program that wrote it: bits repeat for the same binary on the same kind of
/// processor.
#pragma once

#include <string>

namespace gyrax {

struct Build {
  std::string version;    ///< "0.1.0"
  std::string binary;     ///< the program's build id, in hexadecimal; empty where its linker gave it none
  std::string processor;  ///< architecture and model, as the kernel names them
  bool operator==(const Build&) const = default;
};
Build this_build();

}  // namespace gyrax
