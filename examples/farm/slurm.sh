#!/bin/sh
# A share of a build on each of as many nodes as are free:
#   sbatch --wait examples/farm/slurm.sh && zemtak pack
# from the folder of the project, which all nodes have, with ZEMTAK_STORE set.
#SBATCH --job-name=atlases
#SBATCH --array=1-16
#SBATCH --cpus-per-task=2
#SBATCH --output=share-%a.log
exec zemtak pack --share "$SLURM_ARRAY_TASK_ID/$SLURM_ARRAY_TASK_COUNT" --jobs "${SLURM_CPUS_PER_TASK:-1}"
