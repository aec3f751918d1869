# One interface target holds what every target of ours is compiled with.
add_library(glenhaze_options INTERFACE)
target_compile_options(glenhaze_options INTERFACE
  -Wall -Wextra -Wshadow -Wconversion -Wsign-conversion -Wnon-virtual-dtor -Woverloaded-virtual
  # Multiply-add rounds once where it is asked for by name and nowhere else, so that results do
  # not depend on what the compiler chooses to fuse.
  -ffp-contract=off
  # So that the compiler cache can tell what a precompiled header stands for.
  $<$<CXX_COMPILER_ID:GNU>:-fpch-preprocess>)
if(GLENHAZE_WERROR)
  target_compile_options(glenhaze_options INTERFACE -Werror)
endif()
if(GLENHAZE_SANITIZE_THREADS)
  target_compile_options(glenhaze_options INTERFACE -fsanitize=thread -fno-omit-frame-pointer -Wno-tsan)
  target_link_options(glenhaze_options INTERFACE -fsanitize=thread)
endif()
if(GLENHAZE_SANITIZE)
  target_compile_options(glenhaze_options INTERFACE
    -fsanitize=address,undefined -fno-sanitize-recover=undefined -fno-omit-frame-pointer
    # GCC 12 warns wrongly inside the standard library once the sanitizers have rewritten it.
    -Wno-maybe-uninitialized)
  target_link_options(glenhaze_options INTERFACE -fsanitize=address,undefined)
endif()
if(GLENHAZE_FUZZ)
  target_compile_options(glenhaze_options INTERFACE
    -fsanitize=fuzzer-no-link,address,undefined -fno-sanitize-recover=undefined -fno-omit-frame-pointer
    # clang finds other things than GCC, which is the compiler that we keep clean.
    -Wno-unused-const-variable -Wno-missing-field-initializers)
  target_link_options(glenhaze_options INTERFACE -fsanitize=address,undefined)
endif()
