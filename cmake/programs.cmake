# The programs, the tests and the benchmarks, all on top of ovrix_core.

add_library(ovrix_demo STATIC demo/clouds.cpp demo/finishings.cpp demo/kelp_print.cpp demo/low_tide.cpp demo/maker.cpp demo/materials.cpp demo/motion.cpp demo/other_light.cpp demo/pup.cpp demo/recipes.cpp demo/shapes.cpp
            demo/stage.cpp demo/strands.cpp)
target_include_directories(ovrix_demo PUBLIC demo)
target_link_libraries(ovrix_demo PUBLIC ovrix_core)
# Here and below: where nothing computes much, building fast counts for more than running fast.
set(OVRIX_BUILD_FAST $<$<CONFIG:Release>:-O1>)
target_compile_options(ovrix_demo PRIVATE ${OVRIX_BUILD_FAST} ${OVRIX_UNDEFINED})

add_library(ovrix_cli_lib STATIC src/cli/cli.cpp src/cli/commands.cpp src/cli/reference.cpp
            src/cli/finish_command.cpp src/cli/picture_commands.cpp src/cli/queue_command.cpp src/cli/render_command.cpp src/cli/scene_command.cpp)
target_link_libraries(ovrix_cli_lib PUBLIC ovrix_core PRIVATE CLI11::CLI11)
target_compile_options(ovrix_cli_lib PRIVATE ${OVRIX_BUILD_FAST} ${OVRIX_UNDEFINED})
add_executable(ovrix-cli src/cli/main.cpp)
target_link_libraries(ovrix-cli PRIVATE ovrix_cli_lib)

add_executable(make-demo demo/main.cpp)
target_link_libraries(make-demo PRIVATE ovrix_demo)

# Reads one mesh file in a process of its own; must lie beside the programs that use it.
add_executable(ovrix-mesh-reader src/cli/mesh_reader_main.cpp ${reading_sources})
target_compile_options(ovrix-mesh-reader PRIVATE ${OVRIX_UNDEFINED})
target_link_libraries(ovrix-mesh-reader PRIVATE ovrix_core assimp::assimp meshoptimizer::meshoptimizer)
# As these must.
add_dependencies(ovrix-mesh-reader ovrix_images ovrix_denoiser)
if(NOT OVRIX_SHOW)  # there they come later: see ./dev demo
  add_dependencies(ovrix-mesh-reader ovrix_volumes ovrix_video)
endif()
add_dependencies(ovrix-cli ovrix-mesh-reader)

# The demo scene, and those that move beside it, made once they or what makes them changed. Bakes load meshes, which
# takes the reader. Sanitized builds take those of the release build where there are some: making them takes minutes.
set(OVRIX_SCENES ${CMAKE_BINARY_DIR}/demo)
set(OVRIX_RELEASE_SCENES ${CMAKE_SOURCE_DIR}/build/release/demo)
if(OVRIX_SANITIZE AND EXISTS ${OVRIX_RELEASE_SCENES}/silversides.ovrix AND NOT EXISTS ${OVRIX_SCENES})
  file(CREATE_LINK ${OVRIX_RELEASE_SCENES} ${OVRIX_SCENES} SYMBOLIC)
endif()
if(IS_SYMLINK ${OVRIX_SCENES})
  add_custom_target(demo-scene)
  add_custom_target(demo-scenes)
else()
  add_custom_command(OUTPUT ${OVRIX_SCENES}/low_tide.ovrix COMMAND make-demo ${OVRIX_SCENES} still
                     DEPENDS make-demo ovrix-mesh-reader)
  add_custom_command(OUTPUT ${OVRIX_SCENES}/silversides.ovrix COMMAND make-demo ${OVRIX_SCENES} moving
                     DEPENDS make-demo ovrix-mesh-reader)
  add_custom_target(demo-scene ALL DEPENDS ${OVRIX_SCENES}/low_tide.ovrix)
  add_custom_target(demo-scenes ALL DEPENDS ${OVRIX_SCENES}/low_tide.ovrix ${OVRIX_SCENES}/silversides.ovrix)
endif()

# The window. Fonts are built in, from Debian's packages.
find_file(INTER_REGULAR Inter-Regular.otf PATHS /usr/share/fonts/opentype/inter REQUIRED)
find_file(INTER_BOLD Inter-SemiBold.otf PATHS /usr/share/fonts/opentype/inter REQUIRED)
find_file(MONO_REGULAR JetBrainsMono-Regular.ttf PATHS /usr/share/fonts/truetype/jetbrains-mono REQUIRED)
file(GLOB_RECURSE app_sources CONFIGURE_DEPENDS src/app/*.cpp src/app/*.h)
list(REMOVE_ITEM app_sources ${CMAKE_SOURCE_DIR}/src/app/main.cpp ${CMAKE_SOURCE_DIR}/src/app/shots/main.cpp)
add_library(ovrix_app STATIC ${app_sources})
set_target_properties(ovrix_app PROPERTIES AUTOMOC ON)
target_precompile_headers(ovrix_app PRIVATE src/app/pch.h)
target_compile_options(ovrix_app PRIVATE ${OVRIX_BUILD_FAST} ${OVRIX_UNDEFINED})
# Qt's short words (slots, emit) collide with other names, ours among them.
target_compile_definitions(ovrix_app PUBLIC QT_NO_KEYWORDS)
target_link_libraries(ovrix_app PUBLIC ovrix_core Qt6::Widgets Qt6::OpenGL Qt6::OpenGLWidgets Qt6::Svg)

configure_file(src/app/fonts.qrc.in ${CMAKE_BINARY_DIR}/fonts.qrc)
function(add_window_program name)
  add_executable(${name} ${ARGN} ${CMAKE_BINARY_DIR}/fonts.qrc)
  set_target_properties(${name} PROPERTIES AUTORCC ON)
  target_link_libraries(${name} PRIVATE ovrix_app)
  target_compile_options(${name} PRIVATE ${OVRIX_BUILD_FAST})
  add_dependencies(${name} ovrix-mesh-reader)
endfunction()
add_window_program(ovrix src/app/main.cpp)
target_precompile_headers(ovrix REUSE_FROM ovrix_app)
if(OVRIX_TOGETHER)
  set_target_properties(ovrix_core ovrix_app ovrix_demo ovrix_cli_lib PROPERTIES UNITY_BUILD ON UNITY_BUILD_BATCH_SIZE 8)
endif()
if(OVRIX_SHOW)
  return()
endif()
file(GLOB_RECURSE core_tests CONFIGURE_DEPENDS tests/*.cpp)
list(FILTER core_tests EXCLUDE REGEX tests/app/)
add_executable(ovrix-tests ${core_tests} fuzz/read.cpp)
target_include_directories(ovrix-tests PRIVATE tests ${CMAKE_SOURCE_DIR})
target_compile_definitions(ovrix-tests PRIVATE OVRIX_SOURCE_DIR="${CMAKE_SOURCE_DIR}"
                           OVRIX_DEMO_DIR="${OVRIX_SCENES}")
target_precompile_headers(ovrix-tests PRIVATE tests/pch.h)
target_link_libraries(ovrix-tests PRIVATE ovrix_core ovrix_cli_lib ovrix_demo embree PkgConfig::oiio PkgConfig::ffmpeg Catch2::Catch2)
target_compile_options(ovrix-tests PRIVATE ${OVRIX_BUILD_FAST})
if(OVRIX_TOGETHER)
  set_target_properties(ovrix-tests PROPERTIES UNITY_BUILD ON UNITY_BUILD_BATCH_SIZE 6)
  # Sources that are worked on just now, -DOVRIX_ALONE="a.cpp;b.cpp": they shift no others from one batch to the next.
  set_source_files_properties(${OVRIX_ALONE} PROPERTIES SKIP_UNITY_BUILD_INCLUSION ON)
  set_source_files_properties(tests/main.cpp PROPERTIES SKIP_UNITY_BUILD_INCLUSION ON)
endif()
add_dependencies(ovrix-tests ovrix-cli ovrix-mesh-reader demo-scenes)
set_source_files_properties(tests/main.cpp PROPERTIES SKIP_PRECOMPILE_HEADERS ON)

file(GLOB app_tests CONFIGURE_DEPENDS tests/app/*.cpp tests/app/*.h)
add_window_program(ovrix-app-tests ${app_tests})
target_precompile_headers(ovrix-app-tests PRIVATE tests/app/app_test.h)
# A file that is new is looked through too.
set_target_properties(ovrix-app-tests PROPERTIES AUTOMOC ON AUTOGEN_TARGET_DEPENDS "${app_tests}")
target_link_libraries(ovrix-app-tests PRIVATE Qt6::Test)

add_executable(ovrix-bench bench/bench.cpp bench/bare_vdb.cpp bench/cloud_bench.cpp bench/cover_bench.cpp bench/film_bench.cpp bench/finish_bench.cpp bench/light_bench.cpp bench/look_bench.cpp bench/sim_bench.cpp
               bench/strand_bench.cpp bench/texture_bench.cpp)
set_source_files_properties(bench/bare_vdb.cpp PROPERTIES COMPILE_OPTIONS "-O1;-Wno-error;-w")
target_include_directories(ovrix-bench PRIVATE ${CMAKE_SOURCE_DIR})
target_link_libraries(ovrix-bench PRIVATE openvdb boost_iostreams ovrix_core ovrix_demo embree nanoflann::nanoflann benchmark::benchmark)
add_dependencies(ovrix-bench ovrix-mesh-reader)

add_window_program(ovrix-shots src/app/shots/main.cpp)
target_precompile_headers(ovrix-shots REUSE_FROM ovrix_app)

# How long the interface is away while it plays and bakes.
add_window_program(ovrix-heartbeat bench/heartbeat.cpp)
target_precompile_headers(ovrix-heartbeat REUSE_FROM ovrix_app)
