#include <iostream>

#include "clouds.h"
#include "finishings.h"
#include "kelp_print.h"
#include "low_tide.h"
#include "materials.h"
#include "motion.h"
#include "recipes.h"

int main(int argc, char** argv) {
    const std::string which = argc == 3 ? argv[2] : "";
    if (argc < 2 || (which != "still" && which != "moving")) {
        std::cerr << "usage: make-demo FOLDER still|moving\n";
        return 2;
    }
    try {
        if (which == "still") {
            ovrix::demo::writeRecipes(std::filesystem::path(argv[1]) / "recipes");
            ovrix::demo::writeFinishings(std::filesystem::path(argv[1]) / "finishings");
            ovrix::demo::writeMaterials(std::filesystem::path(argv[1]) / "materials");
            std::cout << ovrix::demo::writeLowTide(argv[1]).string() << "\n"
                      << ovrix::demo::writeKelpPrint(argv[1]).string() << "\n";
            for (const auto& path : ovrix::demo::writeClouds(argv[1])) std::cout << path.string() << "\n";
        } else {  // with their bakes, which take a while
            for (const auto& path : ovrix::demo::writeMotion(argv[1])) std::cout << path.string() << "\n";
        }
    } catch (const std::exception& e) {
        std::cerr << "make-demo: " << e.what() << "\n";
        return 1;
    }
    return 0;
}
