// arvesk-demo FOLDER: makes the ground and the kit of Tern Cove, and what the examples beside it need.
#include "demo/generator/buildings.h"
#include "demo/generator/fittings.h"
#include "demo/generator/ground.h"
#include "demo/generator/kit.h"
#include "demo/generator/living.h"
#include "demo/generator/swell.h"
#include "demo/generator/wreck.h"

#include <cstdio>
#include <filesystem>

int main(int argc, char** argv) {
  if (argc != 2) {
    std::fprintf(stderr, "usage: arvesk-demo FOLDER\n");
    return 2;
  }
  const std::string folder = argv[1];
  std::filesystem::create_directories(folder + "/kit");
  arvesk::demo::makeGround(folder);
  arvesk::demo::makeKit(folder + "/kit");
  arvesk::demo::makeFittings(folder + "/kit");
  arvesk::demo::makeJetty(folder);
  arvesk::demo::makeCovering(folder + "/kit");
  arvesk::demo::makeBoathouse(folder);
  arvesk::demo::makeWreck(folder);
  std::filesystem::create_directories(folder + "/../examples");
  arvesk::demo::makeLots(folder + "/../examples");
  arvesk::demo::makeSwell(folder + "/../examples");
  arvesk::demo::makeLiving(folder + "/kit", folder + "/../examples");
  return 0;
}
