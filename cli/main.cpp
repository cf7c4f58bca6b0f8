#include "cli/command.hpp"

int main(int argc, char** argv) {
    return rt::cli::run_program(argc, argv);
}
