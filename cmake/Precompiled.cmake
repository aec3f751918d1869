# Headers that most sources of a target need, compiled once. The debug preset does without, so that a source that forgets
# an #include is noticed there.
option(GLENHAZE_PRECOMPILED "Precompile headers" ON)
set(PRECOMPILED_STANDARD <algorithm> <array> <chrono> <cmath> <cstdint> <filesystem> <functional> <map> <memory> <optional>
    <span> <string> <utility> <vector>)
set(PRECOMPILED_JSON ${CMAKE_SOURCE_DIR}/core/base/json_text.h)
set(PRECOMPILED_TESTS <gtest/gtest.h> <gmock/gmock.h>)

function(glenhaze_precompile target)
  if(GLENHAZE_PRECOMPILED)
    target_precompile_headers(${target} PRIVATE ${ARGN})
  endif()
endfunction()

function(glenhaze_precompiled_as target other)
  if(GLENHAZE_PRECOMPILED)
    target_precompile_headers(${target} REUSE_FROM ${other})
  endif()
endfunction()

# Sources without hot loops: half the time to compile, and nobody would notice the difference in what they do.
function(glenhaze_compile_quickly target)
  target_compile_options(${target} PRIVATE $<$<CONFIG:Release>:-O1>)
endfunction()

# Several sources at once, for builds from nothing: headers and templates are worked through once for all of them. Off where
# one works on the sources, for then each change would compile its neighbours too.
option(GLENHAZE_UNITED "Compile several sources at once" OFF)
function(glenhaze_unite target batch)
  if(GLENHAZE_UNITED)
    set_target_properties(${target} PROPERTIES UNITY_BUILD ON UNITY_BUILD_BATCH_SIZE ${batch})
  endif()
endfunction()
