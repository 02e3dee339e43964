// One function body for several instruction sets, chosen when the program is loaded. Contraction is off, so all give
// the same bits. Sanitizers instrument the choosing before they are set up, so there the clones are left out.
#pragma once

#ifdef ARVESK_SANITIZED
#define ARVESK_CLONES
#else
#define ARVESK_CLONES __attribute__((target_clones("default", "arch=x86-64-v3", "arch=x86-64-v4")))
#endif

// Each clone must contain the whole body to vectorize it.
#define ARVESK_INLINE __attribute__((always_inline)) inline
