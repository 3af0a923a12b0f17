"""Routes that run by themselves: a sheet that lies in a folder comes in, and where all is well it is applied."""
