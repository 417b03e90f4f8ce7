// What has not changed is not worked out again; and nobody can tell from what comes out. Every recording, beside an
// engine that works out everything in each tick.
#include <gyrax/engine/same.hpp>
#include <gyrax/rehearsal/rehearsal.hpp>

#include <doctest/doctest.h>

#include <string>

using namespace gyrax;

TEST_CASE("Over every recording the engine says what one that works out everything says, to the last bit") {
  struct Recording {
    std::string rig, session;
  };
  std::vector<Recording> all{{"demo/bench.toml", "demo/session.toml"},
                             {"demo/desk.toml", "demo/desk_session.toml"},
                             {"demo/six_keys.toml", "demo/six_keys_session.toml"},
                             {"demo/one_hand.toml", "demo/one_hand_session.toml"},
                             {"demo/fine.toml", "demo/fine_session.toml"},
                             {"demo/first.toml", "demo/first_session.toml"}};
  for (const char* name :
       {"two_stick_pad", "worn_pad", "joystick", "dial", "keypad", "hand_stick", "knob_box", "digital_stick"})
    all.push_back(
        {std::string("demo/handsets/") + name + ".toml", std::string("demo/handsets/") + name + ".session.toml"});
  for (const Recording& recording : all) {
    CAPTURE(recording.session);
    const Session session = load_session(recording.session);
    const Rig rig = fit(load_rig(recording.rig), session.devices());
    Player hands(session, rig);
    SimulatedLinks machine(rig);
    Engine engine(rig.setup), reference(rig.setup, Recompute::everything);
    TickBuffers out(rig.setup), again(rig.setup);
    std::size_t different = 0, moving = 0;
    for (Time now; now <= Time{session.length}; now += rig.period) {
      const TickInput in{now, hands.until(now), machine.reports(now)};
      engine.tick(in, out.view());
      reference.tick(in, again.view());
      bool alike = same(out.view(), again.view()) && same(engine.requests(), reference.requests());
      Event one, other;
      while (out.events.read(one)) alike = alike && again.events.read(other) && one == other;
      alike = alike && !again.events.read(other);
      different += alike ? 0 : 1;
      for (const AxisCommand& command : out.commands) moving += command.v != 0 ? 1 : 0;
      machine.send(out.frames);
    }
    CHECK(different == 0);
    CHECK(moving > 100);
  }
}
