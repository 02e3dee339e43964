// The one place where tinygltf's functions are built.
#define TINYGLTF_IMPLEMENTATION
#include "core/formats/tinygltf.h"
