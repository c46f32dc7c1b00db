#include <iostream>

#include "low_tide.h"
#include "motion.h"
#include "recipes.h"

int main(int argc, char** argv) {
    if (argc != 2) {
        std::cerr << "usage: make-demo FOLDER\n";
        return 2;
    }
    try {
        ovrix::demo::writeRecipes(std::filesystem::path(argv[1]) / "recipes");
        for (const auto& path : ovrix::demo::writeMotion(argv[1])) std::cout << path.string() << "\n";
        std::cout << ovrix::demo::writeLowTide(argv[1]).string() << "\n";
    } catch (const std::exception& e) {
        std::cerr << "make-demo: " << e.what() << "\n";
        return 1;
    }
    return 0;
}
