// Shutting a process in before it reads what may be hostile.
#pragma once

#include <string>
#include <vector>

namespace arvesk {

/// What is open to a process that is shut in.
struct SandboxPlaces {
  std::vector<std::string> readable;  // folders with all below them
  std::string writable;               // a folder
  std::string executable{};           // a program that may be started; empty: none
};

/// Gives up, for good and for all threads and children to come: other files than those and what libraries need of the
/// system (Landlock), the network, starting programs and looking into other processes (seccomp). What the kernel does
/// not have is left out.
void enterSandbox(const SandboxPlaces& places);

/// What this kernel has of it: "Landlock 4, seccomp", or "none".
std::string sandboxName();

/// Whether the path, behind all links, lies in one of the folders or below; a file that is not there lies where it
/// would be.
bool isWithin(const std::string& path, const std::vector<std::string>& folders);

}  // namespace arvesk
