// Makes the tracks of demo/: the hands of its sessions. `make_track FILE`, by the file's name: pad.evemu, fine_pad.evemu or
// fine_wheel.evemu.
#include <gyrax/files/text_file.hpp>
#include <gyrax/testing/hands.hpp>

#include <cstdio>
#include <filesystem>
#include <string>

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

gyrax::Track fine_pad() {
  gyrax::testing::Hands h(7);
  // A trigger is unknown until it has been touched once.
  h.wait_until(0.2)
      .push("trigger.left", 0.3, 0.1)
      .push("trigger.left", 0, 0.1)
      .wait_until(0.8)
      .tap("menu.right")
      .wait(0.2)
      .down("shoulder.right")
      .wait(0.3);
  // Reduced speed is on: a nudge, and a long press that grows to a quarter of the speed.
  h.tap("hat.right", 0.1).wait(0.4).down("hat.right").wait(2.4).up("hat.right").wait(0.5);
  // Full speed, and to the sheet in one go; back, held for a while, and on.
  h.tap("menu.left").wait(0.3).down("face.north").wait(2.6).up("face.north").wait(0.4);
  h.down("face.west").wait(0.9).up("face.west").wait(0.7).down("face.west").wait(2.2).up("face.west").wait(0.4);
  // Into the end of travel at full speed, and held there.
  h.wait_until(13).push("stick.left.x", 1, 0.15, 3.3).push("stick.left.x", 0, 0.12);
  // Reduced speed comes on in the middle of a jog.
  h.wait_until(17.5).push("stick.left.x", -1, 0.15, 0.7).tap("menu.left").wait(0.8).push("stick.left.x", 0, 0.12, 0.3).tap("menu.left");
  // The lamp is taken up where the trigger happens to be, and followed.
  h.wait_until(27).push("trigger.left", 0.8, 0.2, 0.2).down("shoulder.left").wait(2.4).push("trigger.left", 0.45, 0.5, 0.6);
  h.push("trigger.left", 0.9, 0.25, 0.9).up("shoulder.left").wait(0.2).push("trigger.left", 0, 0.2);
  h.wait_until(33).up("shoulder.right").wait_until(33.9);
  return h.track();
}

gyrax::Track fine_wheel() {
  gyrax::testing::Hands h(8, gyrax::testing::Hands::Model::wheel_box);
  // Focus: 1500 counts fast, 200 back, then some single ones: 13.07 mm.
  h.wait_until(20).turn("dial.1", 1500, 1.2).wait(0.5).turn("dial.1", -200, 0.4).wait(0.3).turn("dial.1", 7, 0.5);
  // The carriage, faster than it may lag behind, and a sudden stop.
  h.wait_until(24).down("key.kp1").wait(0.1).turn("dial.1", -700, 1.4).wait(0.6).up("key.kp1");
  h.wait_until(33.9);
  return h.track();
}

}  // namespace

int main(int argc, char** argv) {
  if (argc != 2) {
    std::fputs("usage: make_track FILE\n", stderr);
    return 2;
  }
  const std::string name = std::filesystem::path(argv[1]).filename();
  const gyrax::Track track = name == "fine_pad.evemu" ? fine_pad() : name == "fine_wheel.evemu" ? fine_wheel() : demo_track();
  const auto error = gyrax::write_text(argv[1], gyrax::write_track(track));
  if (error) std::fprintf(stderr, "%s: %s\n", argv[1], error.message().c_str());
  return error ? 3 : 0;
}
