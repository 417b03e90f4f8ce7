// Makes demo/pad.evemu: the hands of the demo session. `make_track FILE`.
#include <gyrax/files/text_file.hpp>
#include <gyrax/testing/hands.hpp>

#include <cstdio>

namespace {

gyrax::Track demo_track() {
  gyrax::testing::Hands h(20);

  // Somebody takes up the pad and bumps a stick: the bench is stowed. Ready is refused while the stick is held.
  h.wait_until(0.8).push("stick.left.x", 0.7, 0.15, 0.2).tap("menu.right").push("stick.left.x", 0, 0.1, 0.3);
  h.push("stick.right.y", 0.3, 0.1).push("stick.right.y", 0, 0.1, 0.3);
  // Ready; a stick without enable does nothing; then enable, and to a corner of the sheet on a diagonal.
  h.wait_until(2.6).tap("menu.right").wait(0.3).push("stick.left.y", 0.6, 0.15, 0.2).push("stick.left.y", 0, 0.1, 0.3);
  h.down("shoulder.right").wait(0.2).push("stick.left.x", 1, 0.2).push("stick.left.y", 0.8, 0.15, 1.0);
  h.push("stick.left.y", 0, 0.12, 0.1).push("stick.left.x", 0, 0.12, 0.4);
  // Focus.
  h.push("stick.right.y", 0.9, 0.2, 0.7).push("stick.right.y", 0, 0.12, 0.4);
  // The sheet in ten steps of one degree, through the layer.
  h.down("shoulder.left").wait(0.15);
  for (int i = 0; i < 10; ++i) h.tap("hat.right", 0.06).wait(0.11);
  h.up("shoulder.left").wait(0.3);
  // Slower: two notches down, and a fine jog back; then ten fine steps.
  h.tap("hat.down").wait(0.15).tap("hat.down").wait(0.3).push("stick.left.x", -1, 0.2, 0.8).push("stick.left.x", 0, 0.12, 0.3);
  h.tap("thumb.left").wait(0.2);
  for (int i = 0; i < 10; ++i) h.tap("hat.right", 0.05).wait(0.08);
  h.tap("hat.up").wait(0.15).tap("hat.up").wait(0.3);
  // Up to the end of travel, and held there.
  h.push("stick.left.x", 1, 0.2, 2.1).push("stick.left.x", 0, 0.12, 0.3);
  // Enable is let go in the middle of a jog; enabled again, only from a fresh press at neutral.
  h.push("stick.left.x", -1, 0.15, 0.6).up("shoulder.right").wait(0.3).down("shoulder.right").wait(0.3);
  h.push("stick.left.x", 0, 0.12, 0.2).up("shoulder.right").wait(0.2).down("shoulder.right").wait(0.2);
  // The pad is pulled out at full speed.
  h.wait_until(23.6).push("stick.left.x", -1, 0.2, 0.7);
  h.unplug().wait_until(25.2).push("stick.left.x", 0, 0.1).up("shoulder.right").wait_until(26.55).plug();
  // Back again: reset, ready, enable.
  h.wait_until(27.6).tap("menu.centre").wait(0.4).tap("menu.right").wait(0.4).down("shoulder.right").wait(0.3);
  // The lamp's tilt through the layer, the scale bar, the valve.
  h.down("shoulder.left").wait(0.15).push("stick.right.y", 0.8, 0.2, 0.8).push("stick.right.y", 0, 0.12, 0.2);
  h.push("stick.right.y", -0.6, 0.2, 0.3).push("stick.right.y", 0, 0.12, 0.2).up("shoulder.left").wait(0.3);
  h.down("face.west").wait(0.5).up("face.west").wait(0.3).down("face.west").wait(0.9).up("face.west").wait(0.3).tap("face.south").wait(0.5);
  // A stop in the middle of things, and ready again.
  h.push("stick.left.y", -1, 0.2, 0.5).tap("face.east").wait(0.3).push("stick.left.y", 0, 0.12, 0.2).up("shoulder.right");
  h.wait(0.2).tap("menu.right").wait(0.3).down("shoulder.right").wait(0.3);
  // At last the link falls silent during a jog, at 39 s.
  h.wait_until(38.2).push("stick.left.x", 0.9, 0.2).push("stick.left.y", 0.7, 0.15, 1.2);
  h.push("stick.left.y", 0, 0.1).push("stick.left.x", 0, 0.1).wait_until(40.9);
  return h.track();
}

}  // namespace

int main(int argc, char** argv) {
  if (argc != 2) {
    std::fputs("usage: make_track FILE\n", stderr);
    return 2;
  }
  const auto error = gyrax::write_text(argv[1], gyrax::write_track(demo_track()));
  if (error) std::fprintf(stderr, "%s: %s\n", argv[1], error.message().c_str());
  return error ? 3 : 0;
}
