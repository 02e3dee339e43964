// arvesk-import: the helper process that reads asset files. Started by the application, not by people.
#include "core/formats/import_helper.h"

int main(int argc, char** argv) { return arvesk::importHelperMain(argc, argv); }
