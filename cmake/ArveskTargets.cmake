# Warnings, sanitizers and the helpers that make every node and every test the same.
add_library(arvesk_warnings INTERFACE)
if(ARVESK_FUZZ)  # by another compiler, whose warnings differ
  target_compile_options(arvesk_warnings INTERFACE -w)
else()
  target_compile_options(arvesk_warnings INTERFACE -Wall -Wextra -Wpedantic -Wconversion -Wshadow -Werror)
endif()

add_library(arvesk_sanitizers INTERFACE)
if(ARVESK_SANITIZE)
  target_compile_options(arvesk_sanitizers INTERFACE -fsanitize=${ARVESK_SANITIZE} -fno-omit-frame-pointer)
  target_link_options(arvesk_sanitizers INTERFACE -fsanitize=${ARVESK_SANITIZE})
  target_compile_definitions(arvesk_sanitizers INTERFACE ARVESK_SANITIZED)
  if(ARVESK_FUZZ)  # what is undefined ends the program: the fuzzer sees nothing else
    target_compile_options(arvesk_sanitizers INTERFACE -fno-sanitize-recover=all)
  endif()
endif()

# The standard library, glm and fmt take most of the time to compile a small file: read once per target.
option(ARVESK_PRECOMPILE "Precompiled headers" ON)
function(arvesk_precompile target)
  if(ARVESK_PRECOMPILE)
    target_precompile_headers(${target} PRIVATE ${ARGN})
  endif()
endfunction()

# Floating point that does not depend on the machine: no contraction, no reassociation; traps off so that loops vectorize.
add_library(arvesk_numerics INTERFACE)
target_compile_options(arvesk_numerics INTERFACE -ffp-contract=off -fno-trapping-math)

# arvesk_add_node(<family> <name>…): adds the sources of node kinds and puts the kinds on the list in nodes/registry.
function(arvesk_add_node family)
  foreach(name ${ARGN})
    set_property(GLOBAL APPEND PROPERTY ARVESK_NODE_SOURCES nodes/${family}/${name}.cpp)
    string(REGEX REPLACE "_([a-z])" ";\\1" parts ${name})
    set(function_name "")
    foreach(part ${parts})
      if(function_name STREQUAL "")
        set(function_name ${part})
      else()
        string(SUBSTRING ${part} 0 1 first)
        string(SUBSTRING ${part} 1 -1 rest)
        string(TOUPPER ${first} first)
        string(APPEND function_name ${first}${rest})
      endif()
    endforeach()
    set_property(GLOBAL APPEND PROPERTY ARVESK_NODE_FUNCTIONS ${function_name})
  endforeach()
endfunction()

# arvesk_add_test(<path/name> <label> <seconds> <library>…): one Qt Test program, tests/<path>/tst_<name>.cpp.
function(arvesk_add_test path label seconds)
  get_filename_component(name ${path} NAME)
  get_filename_component(folder ${path} DIRECTORY)
  string(REPLACE "/" "_" target tst_${path})
  add_executable(${target} ${folder}/tst_${name}.cpp)
  # moc by hand: AUTOMOC would scan every test in a step of its own and compile an empty file for it.
  set(moc_folder ${CMAKE_CURRENT_BINARY_DIR}/moc_${target})
  file(MAKE_DIRECTORY ${moc_folder})
  qt6_generate_moc(${folder}/tst_${name}.cpp ${moc_folder}/tst_${name}.moc TARGET ${target})
  set_property(SOURCE ${folder}/tst_${name}.cpp APPEND PROPERTY OBJECT_DEPENDS ${moc_folder}/tst_${name}.moc)
  target_include_directories(${target} PRIVATE ${CMAKE_SOURCE_DIR} ${CMAKE_SOURCE_DIR}/tests ${moc_folder})
  target_link_libraries(${target} PRIVATE ${ARGN} Qt6::Test arvesk_warnings arvesk_sanitizers arvesk_numerics)
  target_compile_definitions(${target} PRIVATE QT_NO_KEYWORDS)
  if(ARVESK_PRECOMPILE AND NOT "arvesk_app" IN_LIST ARGN)
    target_precompile_headers(${target} REUSE_FROM arvesk_test_support)
  elseif(ARVESK_PRECOMPILE AND TARGET tst_app_window AND NOT target STREQUAL tst_app_window)
    target_precompile_headers(${target} REUSE_FROM tst_app_window)  # the application's definitions differ
  elseif(ARVESK_PRECOMPILE)
    target_precompile_headers(${target} PRIVATE <QtTest> <QtWidgets> ${ARVESK_COMMON_HEADERS} ${CMAKE_SOURCE_DIR}/tests/app/window_test.h)
  endif()
  add_test(NAME ${path} COMMAND ${target})
  if(ARVESK_SANITIZE)  # some twenty times as slow
    math(EXPR seconds "${seconds} * 10")
  endif()
  # Qt Test ends a function after five minutes by itself, whatever the test's own limit is.
  math(EXPR milliseconds "${seconds} * 1000")
  set_tests_properties(${path} PROPERTIES
    COST ${seconds}  # the long ones first, so that the last one does not run alone
    LABELS "${label}" TIMEOUT ${seconds}
    ENVIRONMENT "QTEST_FUNCTION_TIMEOUT=${milliseconds};QT_QPA_PLATFORM=offscreen;LC_ALL=C.UTF-8;ARVESK_SOURCE_DIR=${CMAKE_SOURCE_DIR};ARVESK_BIN_DIR=${CMAKE_BINARY_DIR}/bin")
endfunction()
