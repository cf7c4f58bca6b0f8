#include "cli/command.hpp"

int main(int argc, char** argv) {
    return rt::run_program(argc, argv);
}
