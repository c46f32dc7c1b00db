# The programs, the tests and the benchmarks, all on top of ovrix_core.

add_library(ovrix_demo STATIC demo/low_tide.cpp demo/shapes.cpp)
target_include_directories(ovrix_demo PUBLIC demo)
target_link_libraries(ovrix_demo PUBLIC ovrix_core)

add_library(ovrix_cli_lib STATIC src/cli/cli.cpp src/cli/commands.cpp)
target_link_libraries(ovrix_cli_lib PUBLIC ovrix_core PRIVATE CLI11::CLI11)
add_executable(ovrix-cli src/cli/main.cpp)
target_link_libraries(ovrix-cli PRIVATE ovrix_cli_lib)

add_executable(make-demo demo/main.cpp)
target_link_libraries(make-demo PRIVATE ovrix_demo)

# Reads one mesh file in a process of its own; must lie beside the programs that use it.
add_executable(ovrix-mesh-reader src/cli/mesh_reader_main.cpp)
target_link_libraries(ovrix-mesh-reader PRIVATE ovrix_core)
target_link_options(ovrix-mesh-reader PRIVATE LINKER:--as-needed)
add_dependencies(ovrix-cli ovrix-mesh-reader)

# The demo scene, made once it or what makes it changed.
set(OVRIX_DEMO ${CMAKE_BINARY_DIR}/demo/low_tide.ovrix)
add_custom_command(OUTPUT ${OVRIX_DEMO} COMMAND make-demo ${CMAKE_BINARY_DIR}/demo DEPENDS make-demo)
add_custom_target(demo-scene ALL DEPENDS ${OVRIX_DEMO})

