// A consumer of everything: reads a rig.
#include <gyrax/engine/engine.hpp>
#include <gyrax/rig/rig.hpp>

#include <cstdio>

int main(int, char** argv) {
  const gyrax::Rig rig = gyrax::load_rig(argv[1]);
  const gyrax::Engine engine(rig.setup);
  std::printf("%zu axes\n", rig.axes.size());
}
