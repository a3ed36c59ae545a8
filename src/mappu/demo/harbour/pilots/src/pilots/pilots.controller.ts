import { Body, Controller, Get, NotFoundException, Param, ParseUUIDPipe, Patch, Post, Put, Query } from '@nestjs/common';
import { CreatePilot, ListPilots, UpdatePilot } from './pilots.dto';
import { PilotsService } from './pilots.service';

@Controller('pilots')
export class PilotsController {
  constructor(private readonly pilots: PilotsService) {}

  @Post()
  create(@Body() pilot: CreatePilot) {
    return this.pilots.create(pilot);
  }

  @Get()
  list(@Query() query: ListPilots) {
    return this.pilots.list(query.rank, query.limit);
  }

  @Get(':id')
  async one(@Param('id', ParseUUIDPipe) id: string) {
    const pilot = await this.pilots.find(id);
    if (!pilot) {
      throw new NotFoundException('no such pilot');
    }
    return pilot;
  }

  @Patch(':id')
  update(@Param('id', ParseUUIDPipe) id: string, @Body() changes: UpdatePilot) {
    return this.pilots.update(id, changes);
  }

  // The crew office sends the whole roster once a month.
  @Put()
  replace(@Body() roster: CreatePilot[]) {
    return this.pilots.replace(roster);
  }
}
