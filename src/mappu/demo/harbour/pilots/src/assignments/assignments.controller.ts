import { BadRequestException, Body, Controller, Get, Param, ParseIntPipe, Post, Query } from '@nestjs/common';
import { CreateAssignment, Remark } from './assignments.dto';
import { AssignmentsService } from './assignments.service';

@Controller('assignments')
export class AssignmentsController {
  constructor(private readonly assignments: AssignmentsService) {}

  @Post()
  create(@Body() assignment: CreateAssignment) {
    return this.assignments.create(assignment);
  }

  @Get('search')
  search(@Query('vessel') vessel: string) {
    return this.assignments.search(vessel);
  }

  @Get(':number')
  one(@Param('number', ParseIntPipe) number: number) {
    if (number < 1 || number > 999999) {
      throw new BadRequestException('number');
    }
    return this.assignments.find(number);
  }

  // The remark is typed, but by an interface: nothing is left of it when the service runs.
  @Post(':number/remarks')
  remark(@Param('number', ParseIntPipe) number: number, @Body() remark: Remark) {
    if (number < 1 || number > 999999) {
      throw new BadRequestException('number');
    }
    return this.assignments.remark(number, remark);
  }
}
