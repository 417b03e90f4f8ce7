// A link of your own: take the frames, send them wherever you like, and give back what the machine reports. This one
// stands for a machine that follows at once, until its cable breaks.
#include <gyrax/engine/engine.hpp>
#include <gyrax/rehearsal/player.hpp>
#include <gyrax/rig/words.hpp>

#include <cstdio>

namespace {

class MyMachine {
 public:
  explicit MyMachine(std::size_t axes) : axes_(axes) {}
  void send(const gyrax::Frame& frame) {
    // Words are nm, ndeg or µs of pulse. A real one goes over a wire, with frame.valid_for.
    for (std::size_t i = 0; i < axes_.size(); ++i)
      axes_[i] = {true, static_cast<double>(frame.axes[i].position) * 1e-9, 0};
  }
  gyrax::LinkReport report(gyrax::Time now) { return {gyrax::LinkId{0}, ++heartbeat_, now, now, axes_}; }

 private:
  std::vector<gyrax::AxisReport> axes_;
  std::uint32_t heartbeat_ = 0;
};

}  // namespace

int main(int, char** argv) {
  const gyrax::Session session = gyrax::load_session(argv[2]);
  const gyrax::Rig rig = gyrax::fit(gyrax::load_rig(argv[1]), session.devices());
  gyrax::Player hands(session, rig);
  gyrax::Engine engine(rig.setup);
  gyrax::TickBuffers out(rig.setup);
  MyMachine machine(rig.axes.size());
  for (gyrax::Time now; now <= gyrax::Time{std::chrono::seconds(16)}; now += rig.period) {
    const bool broken = now > gyrax::Time{std::chrono::seconds(15)};
    const gyrax::LinkReport report = machine.report(now);
    engine.tick({now, hands.until(now), {&report, broken ? std::size_t{0} : std::size_t{1}}}, out.view());
    machine.send(out.frames[0]);
    for (gyrax::Event event; out.events.read(event);)
      if (event.kind == gyrax::Event::Kind::state)
        std::printf("%7.3f s  %s\n", gyrax::to_seconds(event.at), gyrax::say(rig, event).c_str());
  }
}
