"""What the job's pages show, worked out: one module for each thing on a page, all from one `Basis`."""
