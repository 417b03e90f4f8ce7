// A rig, a session, an engine and the simulated bench: the whole of Gyrax in a loop of one's own.
#include <gyrax/engine/engine.hpp>
#include <gyrax/link/simulated.hpp>
#include <gyrax/rehearsal/player.hpp>

#include <cstdio>

int main(int, char** argv) {
  const gyrax::Session session = gyrax::load_session(argv[2]);  // demo/session.toml
  const gyrax::Rig rig = gyrax::fit(gyrax::load_rig(argv[1]), session.devices());
  gyrax::Player hands(session, rig);
  gyrax::SimulatedLinks machine(rig);
  gyrax::Engine engine(rig.setup);
  gyrax::TickBuffers out(rig.setup);
  for (gyrax::Time now; now <= gyrax::Time{session.length}; now += rig.period) {
    engine.tick({now, hands.until(now), machine.reports(now)}, out.view());
    machine.send(out.frames);
  }
  for (std::size_t a = 0; a < rig.axes.size(); ++a)
    std::printf("%s %.3f %s\n", rig.axes[a].name.c_str(), out.commands[a].p, rig.axes[a].unit.c_str());
}
